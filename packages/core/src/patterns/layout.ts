import { type Scan, type SlotType, scanText } from './scanner.js';

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

/** A token of a layout: a slot (by its type), a word, or the characters between. */
export interface Token {
  kind: 'slot' | 'word' | 'gap';
  text: string;
}

const WORD = /[\p{L}\p{N}_]+(?:[-.+~][\p{L}\p{N}_]+)*/gu;

/** The words, gaps and slots of a layout, in order. */
export function tokensOf(layout: Pick<Layout, 'literals' | 'types'>): Token[] {
  const tokens: Token[] = [];
  layout.literals.forEach((literal, index) => {
    let from = 0;
    for (const match of literal.matchAll(WORD)) {
      if (match.index > from) tokens.push({ kind: 'gap', text: literal.slice(from, match.index) });
      tokens.push({ kind: 'word', text: match[0] });
      from = match.index + match[0].length;
    }
    if (from < literal.length) tokens.push({ kind: 'gap', text: literal.slice(from) });
    if (index < layout.types.length) tokens.push({ kind: 'slot', text: layout.types[index]! });
  });
  return tokens;
}

/**
 * A word position becomes a slot of new layouts once this many different words stood there with all else
 * equal. It is high on purpose: what storage merges can't be taken apart again.
 */
const WILD_AT = 32;
const MAX_WORD_POSITIONS = 24;
/** Beyond this many layouts new ones are no longer kept: the whole text becomes one slot. */
export const MAX_LAYOUTS = 60_000;

const REST: Pick<Layout, 'literals' | 'types'> = { literals: ['', ''], types: 'r' };

const isRest = ({ literals, types }: Layout): boolean =>
  types === 'r' && literals.every((literal) => literal === '');

/** What a text is made of: its layout and the values of its slots. */
export interface Parts {
  layout: Layout;
  values: string[];
}

/**
 * The layouts of a data set. Finds the layout of a text by a hash of its shape, verified against the
 * literal characters; a text of unknown shape becomes a new layout, unless it differs from many others in
 * one word only, which then is a slot.
 */
export class LayoutBook {
  readonly layouts: Layout[] = [];
  private readonly byHash = new Map<number, Layout[]>();
  private readonly byKey = new Map<string, Layout>();
  /** Words seen at one position of otherwise equal layouts. */
  private readonly varying = new Map<string, Set<string> | 'wild'>();
  private readonly scan: Scan;

  constructor(scan: Scan, layouts: Iterable<Layout> = []) {
    this.scan = scan;
    for (const layout of layouts) this.restore(layout);
  }

  /** Takes in a layout made earlier; to be called in the order of their ids. */
  restore(layout: Layout): void {
    this.layouts[layout.id] = layout;
    this.byKey.set(keyOf(layout), layout);
    const hash = hashOf(layout);
    const bucket = this.byHash.get(hash);
    if (bucket) bucket.push(layout);
    else this.byHash.set(hash, [layout]);
    const tokens = tokensOf(layout);
    for (const [at, key] of maskedKeys(tokens)) this.note(key, tokens[at]!.text);
    tokens.forEach((token, at) => {
      if (token.kind === 'slot' && token.text === 'w') this.varying.set(maskedKey(tokens, at), 'wild');
    });
  }

  /** Layout and slot values of a text. */
  partsOf(text: string, request = false): Parts {
    scanText(text, this.scan, request);
    const { scan } = this;
    const bucket = this.byHash.get(scan.hash);
    if (bucket) {
      for (const layout of bucket) {
        if (layout.types === scan.types && this.matches(text, layout))
          return { layout, values: this.values(text) };
      }
    }
    return this.meet(text);
  }

  private matches(text: string, layout: Layout): boolean {
    const { starts, ends, count } = this.scan;
    let from = 0;
    for (let index = 0; index < count; index++) {
      const literal = layout.literals[index]!;
      if (starts[index]! - from !== literal.length || !text.startsWith(literal, from)) return false;
      from = ends[index]!;
    }
    const last = layout.literals[count]!;
    return text.length - from === last.length && text.startsWith(last, from);
  }

  private values(text: string): string[] {
    const values = new Array<string>(this.scan.count);
    for (let index = 0; index < values.length; index++) {
      values[index] = text.slice(this.scan.starts[index], this.scan.ends[index]);
    }
    return values;
  }

  /** A text whose shape is new. */
  private meet(text: string): Parts {
    const { starts, ends, count, types } = this.scan;
    const literals: string[] = [];
    let from = 0;
    for (let index = 0; index < count; index++) {
      literals.push(text.slice(from, starts[index]));
      from = ends[index]!;
    }
    literals.push(text.slice(from));
    const values = this.values(text);
    const tokens = tokensOf({ literals, types });
    const words = tokens.map((token) => (token.kind === 'word' ? token.text : ''));
    let changed = false;
    for (let again = true; again;) {
      again = false;
      for (const [at, key] of maskedKeys(tokens)) {
        if (this.varying.get(key) !== 'wild') continue;
        tokens[at] = { kind: 'slot', text: 'w' };
        changed = again = true;
        break;
      }
    }
    if (!changed && this.layouts.length < MAX_LAYOUTS) {
      for (const [at, key] of maskedKeys(tokens)) {
        if (!this.wouldBeWild(key, words[at]!)) continue;
        tokens[at] = { kind: 'slot', text: 'w' };
        changed = true;
        break;
      }
    }
    const layout = this.add(changed ? layoutOf(tokens) : { literals, types });
    if (isRest(layout)) return { layout, values: [text] };
    return { layout, values: changed ? valuesOf(tokens, words, values) : values };
  }

  /** The layout of these parts, made if it is new; that of any text when there are too many. */
  private add(wanted: Pick<Layout, 'literals' | 'types'>): Layout {
    const parts = this.layouts.length < MAX_LAYOUTS || this.byKey.has(keyOf(wanted)) ? wanted : REST;
    const known = this.byKey.get(keyOf(parts));
    if (known) return known;
    const layout: Layout = { id: this.layouts.length, ...parts };
    this.restore(layout);
    return layout;
  }

  private note(key: string, word: string): void {
    const seen = this.varying.get(key);
    if (seen === 'wild') return;
    if (seen) seen.add(word);
    else this.varying.set(key, new Set([word]));
  }

  private wouldBeWild(key: string, word: string): boolean {
    const seen = this.varying.get(key);
    return seen !== undefined && seen !== 'wild' && seen.size >= WILD_AT && !seen.has(word);
  }
}

const keyOf = (layout: Pick<Layout, 'literals' | 'types'>): string =>
  `${layout.types}\u0000${layout.literals.join('\u0000')}`;

/** The scanner's hash of any text that has this layout. */
function hashOf(layout: Layout): number {
  let hash = 0x811c9dc5;
  layout.literals.forEach((literal, index) => {
    for (let at = 0; at < literal.length; at++) hash = Math.imul(hash ^ literal.charCodeAt(at), 0x01000193);
    if (index < layout.types.length) {
      hash = Math.imul(hash ^ (0x10000 + layout.types.charCodeAt(index)), 0x01000193);
    }
  });
  return hash;
}

const maskedKey = (tokens: Token[], masked: number): string =>
  tokens
    .map((token, at) =>
      at === masked ? '\u0001' : token.kind === 'slot' ? `\u0002${token.text}` : token.text,
    )
    .join('\u0000');

/** For each word among the first ones, the key of the tokens without that word. */
function maskedKeys(tokens: Token[]): [at: number, key: string][] {
  const keys: [number, string][] = [];
  for (let at = 0; at < tokens.length && keys.length < MAX_WORD_POSITIONS; at++) {
    if (tokens[at]!.kind === 'word') keys.push([at, maskedKey(tokens, at)]);
  }
  return keys;
}

function layoutOf(tokens: Token[]): Pick<Layout, 'literals' | 'types'> {
  const literals = [''];
  let types = '';
  for (const token of tokens) {
    if (token.kind === 'slot') {
      types += token.text as SlotType;
      literals.push('');
    } else literals[literals.length - 1] += token.text;
  }
  return { literals, types };
}

/** Values of the slots of generalised tokens: words where words became slots, else the scanned values in order. */
function valuesOf(tokens: Token[], words: string[], scanned: string[]): string[] {
  let next = 0;
  return tokens
    .map((token, at) => {
      if (token.kind !== 'slot') return undefined;
      return words[at] !== '' ? words[at] : scanned[next++];
    })
    .filter((value) => value !== undefined);
}

/** Gives the text back. */
export function rebuildText(layout: Layout, values: readonly string[]): string {
  let text = layout.literals[0]!;
  for (let index = 0; index < values.length; index++) text += values[index]! + layout.literals[index + 1]!;
  return text;
}
