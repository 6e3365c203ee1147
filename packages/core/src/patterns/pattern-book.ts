import { type Layout, type Token, tokensOf } from './layout.js';
import type { SlotType } from './scanner.js';

/** Layouts that differ in one word only are one pattern from this many different words on. */
const ENUMERATION_AT = 5;
const MAX_WORD_POSITIONS = 24;

/** A group of layouts: what people see as one recurring line. */
export interface Pattern {
  /** Short and lasting: derived from the layout that founded the pattern, kept while it grows. */
  id: string;
  layouts: Layout[];
}

/**
 * Groups layouts into patterns, above storage, so that grouping can improve without touching what is
 * stored. Layouts are one pattern when they are alike after
 * - taking slots for alike whatever their type (an identifier may happen to have digits only),
 * - taking the word behind `=` for a slot,
 * - taking a list of slots for one slot,
 * or when they belong to five or more that differ in a single word.
 *
 * Fed with the same layouts in the same order, it forms the same patterns with the same ids.
 */
export class PatternBook {
  private readonly parent: number[] = [];
  private readonly founders = new Map<string, number>();
  private readonly enumerations = new Map<string, { founder: number; words: Set<string> }>();
  private readonly layouts: Layout[] = [];
  private readonly ids = new Map<number, string>();
  private readonly taken = new Map<string, number>();
  private groups: Map<string, Pattern> | undefined;

  get size(): number {
    return this.layouts.length;
  }

  /** Takes in the next layout; to be called in the order of their ids. */
  add(layout: Layout): void {
    const at = this.layouts.length;
    this.layouts.push(layout);
    this.parent.push(at);
    this.groups = undefined;
    const tokens = canonical(tokensOf(layout));
    const key = keyOf(tokens);
    const founder = this.founders.get(key);
    if (founder === undefined) this.founders.set(key, at);
    else this.join(founder, at);
    let positions = 0;
    for (let index = 0; index < tokens.length && positions < MAX_WORD_POSITIONS; index++) {
      if (tokens[index]!.kind !== 'word') continue;
      positions++;
      this.vary(tokens, index, at);
    }
    this.name(at);
  }

  /** Id of the pattern that a layout belongs to. */
  idOf(layout: number): string {
    return this.ids.get(this.root(layout))!;
  }

  /** The patterns, by id. */
  patterns(): ReadonlyMap<string, Pattern> {
    if (!this.groups) {
      this.groups = new Map();
      this.layouts.forEach((layout, at) => {
        const id = this.idOf(at);
        const pattern = this.groups!.get(id);
        if (pattern) pattern.layouts.push(layout);
        else this.groups!.set(id, { id, layouts: [layout] });
      });
    }
    return this.groups;
  }

  /** Layouts of a pattern, asked for by its present id or by the id of one that has joined it since. */
  layoutsOf(id: string): ReadonlySet<number> {
    const founder = this.taken.get(id);
    const pattern = founder === undefined ? undefined : this.patterns().get(this.idOf(founder));
    return new Set(pattern?.layouts.map((layout) => layout.id));
  }

  /** Notes the word at a position of otherwise equal layouts, and joins them once there are many. */
  private vary(tokens: Token[], index: number, at: number): void {
    const key = keyOf(tokens.map((token, place) => (place === index ? SLOT : token)));
    // A layout with a slot at this place is the general form of all of them.
    const general = this.founders.get(key);
    if (general !== undefined) {
      this.join(general, at);
      return;
    }
    const seen = this.enumerations.get(key);
    if (!seen) {
      this.enumerations.set(key, { founder: at, words: new Set([tokens[index]!.text]) });
      return;
    }
    seen.words.add(tokens[index]!.text);
    if (seen.words.size < ENUMERATION_AT) return;
    for (const word of seen.words) {
      const member = this.founders.get(
        keyOf(tokens.map((token, place) => (place === index ? { ...token, text: word } : token))),
      );
      if (member !== undefined) this.join(seen.founder, member);
    }
    this.join(seen.founder, at);
  }

  private root(at: number): number {
    let root = at;
    while (this.parent[root] !== root) root = this.parent[root]!;
    this.parent[at] = root;
    return root;
  }

  private join(a: number, b: number): void {
    const [first, second] = [this.root(a), this.root(b)].sort((x, y) => x - y);
    this.parent[second!] = first!;
  }

  /** Gives a founding layout its id: five letters and digits, more where they would not be unique. */
  private name(at: number): void {
    const { literals, types } = this.layouts[at]!;
    const full = digest(`${types}\u0000${literals.join('\u0000')}`);
    for (let length = 5; ; length++) {
      const id = length <= full.length ? full.slice(0, length) : `${full}${at}`;
      if (this.taken.has(id)) continue;
      this.taken.set(id, at);
      this.ids.set(at, id);
      return;
    }
  }
}

const SLOT: Token = { kind: 'slot', text: '*' };

/** Tokens with all slots alike, words behind `=` as slots, and lists of slots as one slot. */
function canonical(tokens: Token[]): Token[] {
  const plain = tokens.map((token, index): Token => {
    const before = tokens[index - 1];
    const value = token.kind === 'word' && before?.kind === 'gap' && before.text.endsWith('=');
    return token.kind === 'slot' || value ? SLOT : token;
  });
  const result: Token[] = [];
  for (const token of plain) {
    const gap = result.at(-1);
    const listed = token === SLOT && gap?.kind === 'gap' && /^, ?$/.test(gap.text) && result.at(-2) === SLOT;
    if (listed) result.pop();
    else result.push(token);
  }
  return result;
}

const keyOf = (tokens: readonly Token[]): string =>
  tokens.map((token) => (token.kind === 'slot' ? '\u0002' : token.text)).join('\u0000');

const LETTERS = 'abcdefghjkmnpqrstvwxyz23456789';

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

/** A part of a pattern's sentence: constant text, or a slot with its type and a value. */
export type SentencePart = { text: string } | { slot: string; type: SlotType };

/**
 * The sentence that stands for a pattern: that of one of its records, with slots also where other layouts
 * of the same form have different words.
 */
export function sentenceOf(pattern: Pattern, layout: Layout, values: readonly string[]): SentencePart[] {
  const tokens = tokensOf(layout);
  const others = pattern.layouts.map(tokensOf).filter((other) => other.length === tokens.length);
  const parts: SentencePart[] = [];
  let next = 0;
  tokens.forEach((token, index) => {
    if (token.kind === 'slot') {
      parts.push({ slot: values[next++]!, type: token.text as SlotType });
    } else if (token.kind === 'word' && others.some((other) => other[index]!.text !== token.text)) {
      parts.push({ slot: token.text, type: 'w' });
    } else {
      const last = parts.at(-1);
      if (last && 'text' in last) last.text += token.text;
      else parts.push({ text: token.text });
    }
  });
  return parts;
}
