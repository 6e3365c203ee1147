import type { Layout } from '../patterns/layout.js';

const LETTERS = 'abcdefghjkmnpqrstvwxyz23456789';
const SHORTEST = 5;

/** Twelve letters and digits that depend on every character of a text; the first is a letter, so that an id is no number. */
function digest(text: string): string {
  let a = 0xdeadbeef;
  let b = 0x41c6ce57;
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at);
    a = Math.imul(a ^ code, 2654435761);
    b = Math.imul(b ^ code, 1597334677);
  }
  a = Math.imul(a ^ (a >>> 16), 2246822507) ^ Math.imul(b ^ (b >>> 13), 3266489909);
  b = Math.imul(b ^ (b >>> 16), 2246822507) ^ Math.imul(a ^ (a >>> 13), 3266489909);
  let rest = (BigInt(a >>> 0) << 32n) | BigInt(b >>> 0);
  let name = LETTERS[Number(rest % 22n)]!;
  rest /= 22n;
  while (name.length < 12) {
    name += LETTERS[Number(rest % 30n)]!;
    rest /= 30n;
  }
  return name;
}

/** The lasting ids that layouts give to the patterns they found: five letters and digits, more where they would not be unique. */
export class Identities {
  private readonly byLayout: string[] = [];
  private readonly byId = new Map<string, number>();

  /** Names the next layout; to be called in the order of their ids. */
  add({ literals, types }: Pick<Layout, 'literals' | 'types'>): void {
    const at = this.byLayout.length;
    const full = digest(`${types}\u0000${literals.join('\u0000')}`);
    for (let length = SHORTEST; ; length++) {
      const id = length <= full.length ? full.slice(0, length) : `${full}${at}`;
      if (this.byId.has(id)) continue;
      this.byId.set(id, at);
      this.byLayout.push(id);
      return;
    }
  }

  of(layout: number): string {
    return this.byLayout[layout]!;
  }

  /** The layout that an id was given to. */
  layoutOf(id: string): number | undefined {
    return this.byId.get(id);
  }
}
