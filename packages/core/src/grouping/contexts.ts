import { type Form, isLocation, SLOT } from './form.js';

/** A place at which forms differ while all before and all behind it is the same. */
export interface Context {
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
const OPENING = '([{<';
const CLOSING = ')]}>';

/**
 * Finds the places at which forms differ. Only tight ones: what stands at the place neither begins nor ends
 * alike in all forms, since that would belong to what is the same.
 *
 * @param forms tokens of each form, as of `tokensOfForm`
 */
export function findContexts(forms: readonly (readonly string[])[]): Context[] {
  const codes = new Map<string, number>();
  const coded = forms.map((tokens) =>
    Int32Array.from(tokens.slice(0, MAX_TOKENS), (token) => {
      let code = codes.get(token);
      if (code === undefined) codes.set(token, (code = codes.size + 1));
      return code;
    }),
  );
  const isWord = new Uint8Array(codes.size + 1);
  const bracket = new Int8Array(codes.size + 1);
  const fixed = new Uint8Array(codes.size + 1);
  for (const [token, code] of codes) {
    if (isWordToken(token) && !isPair(token) && /[A-Za-z\u0080-\uffff]{2}/.test(token)) isWord[code] = 1;
    if (isLocation(token)) fixed[code] = 1;
    if (OPENING.includes(token)) bracket[code] = 1;
    if (CLOSING.includes(token)) bracket[code] = -1;
  }
  const places = new Map<number, number | number[]>();
  const meet = (key: number, place: number): void => {
    const known = places.get(key);
    if (known === undefined) places.set(key, place);
    else if (typeof known === 'number') places.set(key, [known, place]);
    else known.push(place);
  };
  coded.forEach((tokens, form) => {
    const length = tokens.length;
    const cut = forms[form]!.length > length;
    const suffix = new Int32Array(length + 1);
    const words = new Int32Array(length + 1);
    suffix[length] = 0x2545f491;
    for (let at = length - 1; at >= 0; at--) suffix[at] = mixed(suffix[at + 1]!, tokens[at]!);
    for (let at = 0; at < length; at++) words[at + 1] = words[at]! + isWord[tokens[at]!]!;
    let prefix = 0x9e3779b9 | 0;
    for (let from = 0; from <= length; from++) {
      let depth = 0;
      for (let to = from; to <= length; to++) {
        if (to > from) {
          depth += bracket[tokens[to - 1]!]!;
          // Lines from different places in the source are different statements.
          if (depth < 0 || fixed[tokens[to - 1]!] === 1) break;
        }
        if (depth > 0) continue;
        if (to - from > MAX_HOLE || to === length) break;
        if (words[from]! + words[length]! - words[to]! < 1) continue;
        meet((prefix >>> 0) * 0x200000 + (suffix[to]! & 0x1fffff), form * 4096 + from * 64 + to);
      }
      // What is left of the form, however much that is.
      if (!cut && words[from]! > 0 && !tokens.subarray(from).some((code) => fixed[code] === 1))
        meet((prefix >>> 0) * 0x200000 + (suffix[length]! & 0x1fffff), form * 4096 + from * 64 + length);
      if (from < length) prefix = mixed(prefix, tokens[from]!);
    }
  });
  const contexts: Context[] = [];
  for (const found of places.values()) {
    if (typeof found === 'number') continue;
    const context = contextOf(found, coded, forms);
    if (context) contexts.push(context);
  }
  return contexts;
}

function mixed(hash: number, code: number): number {
  let next = Math.imul(hash ^ code, 0x85ebca6b);
  next ^= next >>> 15;
  next = Math.imul(next, 0xc2b2ae35);
  return next ^ (next >>> 13);
}

const formAt = (place: number): number => Math.floor(place / 4096);
const fromAt = (place: number): number => (place >> 6) & 63;
const toAt = (place: number): number => place & 63;

/** The context of places that share a hash; undefined where it is not tight, or nothing differs. */
function contextOf(
  places: readonly number[],
  coded: readonly Int32Array[],
  forms: readonly (readonly string[])[],
): Context | undefined {
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
    const key = tokens.join('\u0000');
    const known = fillers.get(key);
    if (!known) fillers.set(key, { tokens, members: [form] });
    else if (!known.members.includes(form)) known.members.push(form);
  }
  if (fillers.size < 2) return undefined;
  const tokens = forms[formAt(first)]!;
  return { before: tokens.slice(0, fromAt(first)), after: tokens.slice(toAt(first)), fillers };
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
