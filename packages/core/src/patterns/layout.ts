import { decodeUtf8, encodeUtf8 } from '../codec/bytes.js';
import { HASH_PRIME, HASH_SEED, joinerLength, Scan, scanText, SLOT_MARK } from './scanner.js';
import { layoutOf, type Token, tokensOf } from './tokens.js';

/**
 * The exact constant text of a record's text, with typed slots between: `literals[0] slot literals[1] …`.
 * Layouts never change once made, since stored values depend on them.
 */
export interface Layout {
  id: number;
  literals: string[];
  /** One letter a slot; see `SlotType`. */
  types: string;
}

type Form = Pick<Layout, 'literals' | 'types'>;

/**
 * A word position becomes a slot of new layouts once this many different words stood there with all else
 * equal. It is high on purpose: what storage merges can't be taken apart again.
 */
const WILD_AT = 32;
/**
 * So many different words behind the same beginning, each with a layout of its own, are free text: from
 * there on new texts are one slot. Short beginnings are shared by many statements of a program.
 */
const FREE_AT = 400;
const FREE_AT_SHORT = 1500;
const MAX_WORD_POSITIONS = 24;
/** Beyond this many layouts new ones are no longer kept: the whole text becomes one slot. */
export const MAX_LAYOUTS = 60_000;
/** Texts whose words became slots are remembered by their hash, so that they are not worked out again; up to this many. */
const MAX_REMEMBERED = 65_536;

const REST: Form = { literals: ['', ''], types: 'r' };

const W = 'w'.charCodeAt(0);
const R = 'r'.charCodeAt(0);

/** A layout with what finding it takes. */
interface Entry {
  layout: Layout;
  literals: Uint8Array[];
  types: Uint8Array;
  /** True when a literal word of the text, or its end, is a value. */
  general: boolean;
}

/**
 * The layouts of a data set. Finds the layout of a text by a hash of its shape, verified against the
 * literal bytes; a text of unknown shape becomes a new layout, unless it differs from many others in
 * one word only, which then is a slot, or has a beginning that very many texts share and continue freely.
 *
 * Whatever comes, memory is bounded: by the number of layouts, and by a fixed number of notes a layout.
 */
export class LayoutBook {
  readonly layouts: Layout[] = [];
  /** Where the slot values of the text placed last stand in its bytes. */
  readonly scan = new Scan();
  private readonly entries: Entry[] = [];
  private readonly byHash = new Map<number, Entry | Entry[]>();
  private readonly byKey = new Map<string, Entry>();
  /** Layouts with word slots, by the types of their other slots. */
  private readonly general = new Map<string, Entry[]>();
  private readonly openEnded: Entry[] = [];
  private remembered = new Map<number, Entry>();
  /** Words seen at one position of otherwise equal layouts, by a hash of the rest; true where any word may stand. */
  private readonly varying = new Map<number, string | Set<string> | true>();
  /** Words seen behind a beginning, by its hash. */
  private readonly following = new Map<number, number | Set<number>>();

  constructor(layouts: Iterable<Layout> = []) {
    for (const layout of layouts) this.restore(layout);
  }

  /** Takes in a layout made earlier; to be called in the order of their ids. */
  restore(layout: Layout): void {
    const entry: Entry = {
      layout,
      literals: layout.literals.map(encodeUtf8),
      types: encodeUtf8(layout.types),
      general: layout.types.includes('w') || (layout.types.endsWith('r') && layout.literals.at(-1) === ''),
    };
    this.layouts[layout.id] = layout;
    this.entries[layout.id] = entry;
    this.byKey.set(keyOf(layout), entry);
    const hash = hashOf(entry);
    const known = this.byHash.get(hash);
    if (!known) this.byHash.set(hash, entry);
    else if (Array.isArray(known)) known.push(entry);
    else this.byHash.set(hash, [known, entry]);
    if (layout.types.includes('w')) {
      const others = layout.types.replaceAll('w', '');
      const list = this.general.get(others);
      if (list) list.push(entry);
      else this.general.set(others, [entry]);
    }
    // A slot for further lines begins with their line break, which the scanner finds by itself.
    if (entry.general && layout.types.endsWith('r') && !isRest(layout)) this.openEnded.push(entry);
    this.learn(tokensOf(layout));
  }

  /**
   * Finds or makes the layout of a text; `scan` then tells where the values of its slots stand.
   *
   * @param request true for the request line of an access log
   */
  place(bytes: Uint8Array, from: number, to: number, request = false): Layout {
    const { scan } = this;
    scanText(bytes, from, to, scan, request);
    const found = this.byHash.get(scan.hash);
    if (found) {
      if (!Array.isArray(found)) {
        if (this.matches(found, bytes, from, to)) return found.layout;
      } else for (const entry of found) if (this.matches(entry, bytes, from, to)) return entry.layout;
    }
    const known = this.remembered.get(scan.hash);
    if (known && this.fits(known, bytes, from, to)) return known.layout;
    for (const entry of this.general.get(scan.typeText()) ?? []) {
      if (this.fits(entry, bytes, from, to)) return this.remember(entry);
    }
    for (const entry of this.openEnded) if (this.fits(entry, bytes, from, to)) return this.remember(entry);
    return this.meet(bytes, from, to);
  }

  /** Layout and slot values of a text. */
  partsOf(text: string, request = false): { layout: Layout; values: string[] } {
    const bytes = encodeUtf8(text);
    const layout = this.place(bytes, 0, bytes.length, request);
    const { starts, ends, count } = this.scan;
    return {
      layout,
      values: Array.from({ length: count }, (_, slot) =>
        decodeUtf8(bytes.subarray(starts[slot], ends[slot])),
      ),
    };
  }

  private remember(entry: Entry): Layout {
    if (this.remembered.size >= MAX_REMEMBERED) this.remembered = new Map();
    this.remembered.set(this.scan.hash, entry);
    return entry.layout;
  }

  /** True when the text has exactly the literals and types of a layout, as scanned. */
  private matches({ literals, types }: Entry, bytes: Uint8Array, from: number, to: number): boolean {
    const { starts, ends, count, types: found } = this.scan;
    if (types.length !== count) return false;
    let at = from;
    for (let slot = 0; slot < count; slot++) {
      const literal = literals[slot]!;
      if (types[slot] !== found[slot] || starts[slot]! - at !== literal.length) return false;
      for (let index = 0; index < literal.length; index++)
        if (literal[index] !== bytes[at + index]) return false;
      at = ends[slot]!;
    }
    const last = literals[count]!;
    if (to - at !== last.length) return false;
    for (let index = 0; index < last.length; index++) if (last[index] !== bytes[at + index]) return false;
    return true;
  }

  /** True when the text has a layout with words or its end as slots; `scan` then holds the values of all of them. */
  private fits({ literals, types }: Entry, bytes: Uint8Array, from: number, to: number): boolean {
    const { scan } = this;
    const starts: number[] = [];
    const ends: number[] = [];
    let at = from;
    let next = 0;
    for (let slot = 0; slot < types.length; slot++) {
      const literal = literals[slot]!;
      if (at + literal.length > to) return false;
      for (let index = 0; index < literal.length; index++)
        if (literal[index] !== bytes[at + index]) return false;
      at += literal.length;
      starts.push(at);
      if (next < scan.count && scan.starts[next] === at && scan.types[next] === types[slot])
        at = scan.ends[next++]!;
      else if (types[slot] === W && (next >= scan.count || scan.starts[next]! > at)) {
        const end = wordEnd(bytes, at, next < scan.count ? scan.starts[next]! : to);
        if (end === at) return false;
        at = end;
      } else if (types[slot] === R && slot === types.length - 1) {
        if (at === to) return false;
        at = to;
        next = scan.count;
      } else return false;
      ends.push(at);
    }
    const last = literals[types.length]!;
    if (next !== scan.count || to - at !== last.length) return false;
    for (let index = 0; index < last.length; index++) if (last[index] !== bytes[at + index]) return false;
    scan.count = types.length;
    scan.starts.set(starts);
    scan.ends.set(ends);
    scan.types.set(types);
    return true;
  }

  /** A text whose shape is new. */
  private meet(bytes: Uint8Array, from: number, to: number): Layout {
    const { scan } = this;
    const literals: string[] = [];
    let at = from;
    for (let slot = 0; slot < scan.count; slot++) {
      literals.push(decodeUtf8(bytes.subarray(at, scan.starts[slot])));
      at = scan.ends[slot]!;
    }
    literals.push(decodeUtf8(bytes.subarray(at, to)));
    const scanned: Form = { literals, types: scan.typeText() };
    if (this.layouts.length >= MAX_LAYOUTS) return this.whole(from, to);
    const form = this.generalised(scanned);
    const entry = this.byKey.get(keyOf(form)) ?? this.add(form);
    // A general form is taken only when it gives the text back; else the text is kept as it was scanned.
    if (form !== scanned && !this.fits(entry, bytes, from, to)) {
      return (this.byKey.get(keyOf(scanned)) ?? this.add(scanned)).layout;
    }
    return entry.layout;
  }

  /** The whole text as one slot: for texts that come when there is no room for more layouts. */
  private whole(from: number, to: number): Layout {
    this.scan.count = 1;
    this.scan.starts[0] = from;
    this.scan.ends[0] = to;
    return (this.byKey.get(keyOf(REST)) ?? this.add(REST)).layout;
  }

  /** The form with words as slots that are known to vary, or would be by this text; and with the rest as one slot behind a beginning that is continued freely. */
  private generalised(scanned: Form): Form {
    const tokens = tokensOf(scanned);
    let changed = false;
    for (let again = true; again;) {
      again = false;
      for (const [at, key] of maskedKeys(tokens)) {
        const seen = this.varying.get(key);
        const wild =
          seen === true || (seen instanceof Set && seen.size >= WILD_AT && !seen.has(tokens[at]!.text));
        if (!wild) continue;
        tokens[at] = { kind: 'slot', text: 'w' };
        changed = again = true;
        break;
      }
    }
    if (changed) return layoutOf(tokens);
    for (const [at, key, words] of beginnings(tokens)) {
      const seen = this.following.get(key);
      if (!(seen instanceof Set) || seen.size < (words < 3 ? FREE_AT_SHORT : FREE_AT)) continue;
      return layoutOf([...tokens.slice(0, at), { kind: 'slot', text: 'r' }]);
    }
    return scanned;
  }

  private add(form: Form): Entry {
    this.restore({ id: this.layouts.length, ...form });
    return this.entries.at(-1)!;
  }

  /** Notes the words of a new layout at their positions. */
  private learn(tokens: Token[]): void {
    for (const [at, key] of maskedKeys(tokens)) {
      const seen = this.varying.get(key);
      const word = tokens[at]!.text;
      if (seen === undefined) this.varying.set(key, word);
      else if (seen instanceof Set) {
        if (seen.size <= WILD_AT) seen.add(word);
      } else if (seen !== true && seen !== word) this.varying.set(key, new Set([seen, word]));
    }
    tokens.forEach((token, at) => {
      if (token.kind === 'slot' && token.text === 'w') this.varying.set(maskedKey(tokens, at), true);
    });
    for (const [at, key] of beginnings(tokens)) {
      // Most beginnings have one continuation, and that needs no set.
      const seen = this.following.get(key);
      const word = textHash(tokens[at]!.text);
      if (seen === undefined) this.following.set(key, word);
      else if (seen instanceof Set) {
        if (seen.size <= FREE_AT_SHORT) seen.add(word);
      } else if (seen !== word) this.following.set(key, new Set([seen, word]));
    }
  }
}

const isRest = ({ literals, types }: Form): boolean =>
  types === 'r' && literals.every((literal) => literal === '');

const keyOf = (layout: Form): string => `${layout.types}\u0000${layout.literals.join('\u0000')}`;

/** End of the word at `at`, as the scanner would see it. */
function wordEnd(bytes: Uint8Array, at: number, limit: number): number {
  const isWord = (byte: number): boolean =>
    (byte >= 97 && byte <= 122) ||
    (byte >= 65 && byte <= 90) ||
    (byte >= 48 && byte <= 57) ||
    byte === 95 ||
    byte >= 128;
  let end = at;
  for (; end < limit; end++) {
    const byte = bytes[end]!;
    if (isWord(byte)) continue;
    const joins = byte === 45 || byte === 46 || byte === 43 || byte === 126;
    const joined = joins && end > at ? joinerLength(bytes, end, limit) : 0;
    if (joined === 0) break;
    end += joined - 1;
  }
  return end;
}

/** The scanner's hash of any text that has this layout. */
function hashOf({ literals, types }: Entry): number {
  let hash = HASH_SEED;
  literals.forEach((literal, index) => {
    for (const byte of literal) hash = Math.imul(hash ^ byte, HASH_PRIME);
    if (index < types.length) hash = Math.imul(hash ^ (SLOT_MARK + types[index]!), HASH_PRIME);
  });
  return hash;
}

function textHash(text: string): number {
  let hash = HASH_SEED;
  for (let at = 0; at < text.length; at++) hash = Math.imul(hash ^ text.charCodeAt(at), HASH_PRIME);
  return hash ^ (hash >>> 15);
}

/** Hash of tokens, 53 bits wide, so that two different rests never meet by chance. */
function tokensHash(tokens: readonly Token[], from: number, to: number, masked = -1): number {
  let a = HASH_SEED;
  let b = 0x41c6ce57;
  for (let at = from; at < to; at++) {
    const token = tokens[at]!;
    const mark = at === masked ? 1 : token.kind === 'slot' ? 2 : 3;
    a = Math.imul(a ^ mark, 2654435761);
    b = Math.imul(b ^ mark, 1597334677);
    if (mark === 1) continue;
    for (let index = 0; index < token.text.length; index++) {
      const code = token.text.charCodeAt(index);
      a = Math.imul(a ^ code, 2654435761);
      b = Math.imul(b ^ code, 1597334677);
    }
    a ^= a >>> 15;
    b ^= b >>> 13;
  }
  return (a >>> 0) * 0x200000 + ((b ^ (b >>> 11)) & 0x1fffff);
}

const maskedKey = (tokens: readonly Token[], masked: number): number =>
  tokensHash(tokens, 0, tokens.length, masked);

/** For each word among the first ones, the key of the tokens without that word. */
function maskedKeys(tokens: readonly Token[]): [at: number, key: number][] {
  const keys: [number, number][] = [];
  for (let at = 0; at < tokens.length && keys.length < MAX_WORD_POSITIONS; at++) {
    if (tokens[at]!.kind === 'word') keys.push([at, maskedKey(tokens, at)]);
  }
  return keys;
}

/** For each word among the first ones that others stand before, the key of what stands before it, and how many words that are. */
function beginnings(tokens: readonly Token[]): [at: number, key: number, words: number][] {
  const keys: [number, number, number][] = [];
  let words = 0;
  for (let at = 0; at < tokens.length && words < 12; at++) {
    if (tokens[at]!.kind !== 'word') continue;
    if (words > 0) keys.push([at, tokensHash(tokens, 0, at), words]);
    words++;
  }
  return keys;
}

/** Gives the text back. */
export function rebuildText(layout: Layout, values: readonly string[]): string {
  let text = layout.literals[0]!;
  for (let index = 0; index < values.length; index++) text += values[index]! + layout.literals[index + 1]!;
  return text;
}
