import { type Form, isLocation, SLOT } from './form.js';

/** A place at which forms differ while all before and all behind it is the same. */
export interface Context {
  /** By which the finder knows it. */
  key: number;
  before: readonly string[];
  after: readonly string[];
  /** What stands there: the tokens in one piece, with the forms that have it. The empty text for nothing. */
  fillers: Map<string, Filler>;
}

export interface Filler {
  tokens: readonly string[];
  members: number[];
}

/** Words, slots, pairs of a key with its slot, and single characters between them; spaces part them and are not kept. */
export function tokensOfForm({ tokens, kinds }: Form): string[] {
  const found: string[] = [];
  tokens.forEach((token, at) => {
    if (kinds[at] === 'gap') for (const character of token.replace(/\s+/g, '')) found.push(character);
    else if (
      kinds[at] === 'slot' &&
      found.at(-1) === '=' &&
      isWordToken(found.at(-2) ?? '') &&
      !isPair(found.at(-2)!)
    )
      found.splice(-2, 2, `${found.at(-2)!}=${SLOT}`);
    else found.push(token);
  });
  return found;
}

export const isWordToken = (token: string): boolean => /^[A-Za-z0-9_\u0080-\uffff]/.test(token);
/** Whether a token is a key with its slot. */
export const isPair = (token: string): boolean => token.endsWith(`=${SLOT}`);

/** So many tokens of a form are looked at. */
const MAX_TOKENS = 60;
/** A place that is not the end holds at most so many tokens. */
const MAX_HOLE = 14;
const LETTERS = /[A-Za-z\u0080-\uffff]{2}/;
const OPENING = '([{<';
const CLOSING = ')]}>';

/** The form of each place, and where it begins and ends in that, in one number. */
const placeOf = (form: number, from: number, to: number): number => form * 4096 + from * 64 + to;
const formAt = (place: number): number => Math.floor(place / 4096);
const fromAt = (place: number): number => (place >> 6) & 63;
const toAt = (place: number): number => place & 63;

/**
 * Finds the places at which forms differ, while forms come and go. Only tight ones: what stands at the place
 * neither begins nor ends alike in all forms, since that would belong to what is the same.
 *
 * What is before and behind each place of a form is met by its hash (after Karp and Rabin 1987), so that no
 * forms are compared with each other that share nothing.
 */
export class ContextFinder {
  /** Tokens of each form, as of `tokensOfForm`; undefined for one that is gone. */
  private readonly forms: (readonly string[] | undefined)[] = [];
  private readonly coded: Int32Array[] = [];
  private readonly codes = new Map<string, number>();
  private readonly isWord: number[] = [0];
  private readonly bracket: number[] = [0];
  private readonly fixed: boolean[] = [false];
  private readonly places = new Map<number, number | number[]>();
  private touchedKeys = new Set<number>();

  /** Takes in a form; returns its number. */
  add(tokens: readonly string[]): number {
    const form = this.forms.length;
    const coded = Int32Array.from(tokens.slice(0, MAX_TOKENS), (token) => this.codeOf(token));
    this.forms.push(tokens);
    this.coded.push(coded);
    this.meetAll(form, coded, tokens.length > coded.length);
    return form;
  }

  remove(form: number): void {
    this.forms[form] = undefined;
  }

  /** The contexts that forms brought, or changed, since this was asked last. */
  touched(): Context[] {
    const keys = this.touchedKeys;
    this.touchedKeys = new Set();
    const contexts: Context[] = [];
    for (const key of keys) {
      const places = this.places.get(key);
      if (typeof places !== 'object') continue;
      const alive = places.filter((place) => this.forms[formAt(place)]);
      if (alive.length < places.length) this.places.set(key, alive);
      if (alive.length < 2) continue;
      const context = this.contextOf(key, alive);
      if (context) contexts.push(context);
    }
    return contexts;
  }

  /** Has a context looked at again. */
  touch({ key }: Context): void {
    this.touchedKeys.add(key);
  }

  private codeOf(token: string): number {
    let code = this.codes.get(token);
    if (code === undefined) {
      this.codes.set(token, (code = this.codes.size + 1));
      this.isWord.push(isWordToken(token) && !isPair(token) && LETTERS.test(token) ? 1 : 0);
      this.bracket.push(OPENING.includes(token) ? 1 : CLOSING.includes(token) ? -1 : 0);
      this.fixed.push(isLocation(token));
    }
    return code;
  }

  private meet(before: number, after: number, place: number): void {
    const key = (before >>> 0) * 0x200000 + (after & 0x1fffff);
    const known = this.places.get(key);
    if (known === undefined) this.places.set(key, place);
    else {
      if (typeof known === 'number') this.places.set(key, [known, place]);
      else known.push(place);
      this.touchedKeys.add(key);
    }
  }

  private meetAll(form: number, tokens: Int32Array, cut: boolean): void {
    const { isWord, bracket, fixed } = this;
    const length = tokens.length;
    const suffix = new Int32Array(length + 1);
    const words = new Int32Array(length + 1);
    suffix[length] = 0x2545f491;
    let lastFixed = -1;
    for (let at = length - 1; at >= 0; at--) {
      suffix[at] = mixed(suffix[at + 1]!, tokens[at]!);
      if (lastFixed < 0 && fixed[tokens[at]!]) lastFixed = at;
    }
    for (let at = 0; at < length; at++) words[at + 1] = words[at]! + isWord[tokens[at]!]!;
    let prefix = 0x9e3779b9 | 0;
    for (let from = 0; from <= length; from++) {
      let depth = 0;
      for (let to = from; to < length && to - from <= MAX_HOLE; to++) {
        if (to > from) {
          depth += bracket[tokens[to - 1]!]!;
          // Lines from different places in the source are different statements.
          if (depth < 0 || fixed[tokens[to - 1]!]) break;
        }
        if (depth > 0 || words[from]! + words[length]! - words[to]! < 1) continue;
        this.meet(prefix, suffix[to]!, placeOf(form, from, to));
      }
      // What is left of the form, however much that is.
      if (!cut && words[from]! > 0 && lastFixed < from)
        this.meet(prefix, suffix[length], placeOf(form, from, length));
      if (from < length) prefix = mixed(prefix, tokens[from]!);
    }
  }

  /** The context of places that share a hash; undefined where it is not tight, or nothing differs. */
  private contextOf(key: number, places: readonly number[]): Context | undefined {
    const { coded, forms } = this;
    const first = places[0]!;
    const own = coded[formAt(first)]!;
    let tightBefore = false;
    let tightAfter = false;
    let start = -1;
    let end = -1;
    let empty = false;
    for (const place of places) {
      const tokens = coded[formAt(place)]!;
      const [from, to] = [fromAt(place), toAt(place)];
      if (from === to) {
        empty = true;
        continue;
      }
      if (start === -1) [start, end] = [tokens[from]!, tokens[to - 1]!];
      if (tokens[from] !== start) tightBefore = true;
      if (tokens[to - 1] !== end) tightAfter = true;
    }
    if (!empty && !(tightBefore && tightAfter)) return undefined;
    const fillers = new Map<string, Filler>();
    for (const place of places) {
      const form = formAt(place);
      if (!sameAround(own, first, coded[form]!, place)) continue;
      const tokens = forms[form]!.slice(fromAt(place), toAt(place));
      const text = tokens.join('\u0000');
      const known = fillers.get(text);
      if (!known) fillers.set(text, { tokens, members: [form] });
      else if (known.members.at(-1) !== form) known.members.push(form);
    }
    if (fillers.size < 2) return undefined;
    const tokens = forms[formAt(first)]!;
    return { key, before: tokens.slice(0, fromAt(first)), after: tokens.slice(toAt(first)), fillers };
  }
}

function mixed(hash: number, code: number): number {
  let next = Math.imul(hash ^ code, 0x85ebca6b);
  next ^= next >>> 15;
  next = Math.imul(next, 0xc2b2ae35);
  return next ^ (next >>> 13);
}

/** Whether two places really have the same around them: hashes may agree by chance. */
function sameAround(a: Int32Array, placeA: number, b: Int32Array, placeB: number): boolean {
  const from = fromAt(placeA);
  if (from !== fromAt(placeB)) return false;
  const behind = a.length - toAt(placeA);
  if (behind !== b.length - toAt(placeB)) return false;
  for (let at = 0; at < from; at++) if (a[at] !== b[at]) return false;
  for (let at = 1; at <= behind; at++) if (a[a.length - at] !== b[b.length - at]) return false;
  return true;
}
