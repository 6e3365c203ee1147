import type { Layout } from '../patterns/layout.js';
import type { SlotType } from '../patterns/scanner.js';
import { type Token, tokensOf } from '../patterns/tokens.js';

/** A part of a pattern's sentence: constant text, or a slot with its type and an example value. */
export type SentencePart = { text: string } | { slot: string; type: SlotType };

/** What stands at a pattern's slot in the records of one layout: one of the layout's own slots, a word of it, or nothing. */
export type SlotPlace = { slot: number } | { word: string } | undefined;

/**
 * The slots of a pattern, and where its layouts have them: each position at which one layout has a slot or
 * a word of its own. The layout with most records is what the others are laid along.
 */
export interface PatternSlots {
  /** Type of each slot, as a letter. */
  types: SlotType[];
  /** What leads to each slot, such as the key of `port=7`; empty where nothing names it. */
  names: string[];
  /** Constant text before, between and behind the slots. */
  literals: string[];
  places: ReadonlyMap<number, SlotPlace[]>;
}

/** Aligning more layouts than this would take long, and adds nothing to the picture; further ones only count. */
const MAX_ALIGNED = 400;
/** A longer layout is laid along position by position instead of by longest common subsequence. */
const MAX_TOKENS = 120;

/**
 * Lays the layouts of a pattern along its first one.
 *
 * @param layouts the one to stand for the pattern first
 */
export function slotsOf(layouts: readonly Layout[]): PatternSlots {
  const first = layouts[0]!;
  const base = tokensOf(first);
  const isSlot = base.map(({ kind }) => kind === 'slot');
  const aligned = layouts.slice(0, MAX_ALIGNED).map((layout) => {
    const tokens = layout === first ? base : tokensOf(layout);
    const at = layout === first ? base.map((_, index) => index) : align(base, tokens);
    base.forEach((token, index) => {
      const other = at[index] === undefined ? undefined : tokens[at[index]];
      if (token.kind === 'word' && other && (other.kind === 'slot' || other.text !== token.text))
        isSlot[index] = true;
    });
    return { layout, tokens, at };
  });
  const positions = base.flatMap((_, index) => (isSlot[index] ? [index] : []));
  const places = new Map<number, SlotPlace[]>();
  for (const { layout, tokens, at } of aligned) {
    const slotNumber = tokens.map(() => -1);
    let next = 0;
    tokens.forEach((token, index) => {
      if (token.kind === 'slot') slotNumber[index] = next++;
    });
    places.set(
      layout.id,
      positions.map((position): SlotPlace => {
        const index = at[position];
        const token = index === undefined ? undefined : tokens[index];
        if (!token || token.kind === 'gap') return undefined;
        return token.kind === 'slot' ? { slot: slotNumber[index!]! } : { word: token.text };
      }),
    );
  }
  const literals = [''];
  base.forEach((token, index) => {
    if (isSlot[index]) literals.push('');
    else literals[literals.length - 1] += token.text;
  });
  return {
    types: positions.map((index) => (base[index]!.kind === 'slot' ? (base[index]!.text as SlotType) : 'w')),
    names: positions.map((index) => nameBefore(base, index)),
    literals,
    places,
  };
}

/** For each base token the other's token that stands in its place. */
function align(base: readonly Token[], other: readonly Token[]): (number | undefined)[] {
  const sameShape =
    base.length === other.length &&
    base.every(
      (token, at) =>
        (token.kind === 'gap') === (other[at]!.kind === 'gap') &&
        (token.kind !== 'gap' || token.text === other[at]!.text),
    );
  if (sameShape || base.length > MAX_TOKENS || other.length > MAX_TOKENS)
    return base.map((_, at) => (at < other.length ? at : undefined));
  // Needleman and Wunsch: equal words count most, a slot beside a slot nearly as much, a word beside a slot a little.
  const score = (a: Token, b: Token): number => {
    if (a.kind === 'gap' || b.kind === 'gap') return a.kind !== b.kind ? -9 : a.text === b.text ? 1 : 0.2;
    if (a.kind === 'slot' && b.kind === 'slot') return a.text === b.text ? 2 : 1.6;
    if (a.kind === 'slot' || b.kind === 'slot') return 0.6;
    return a.text === b.text ? 3 : 0.4;
  };
  const width = other.length + 1;
  const best = new Float64Array((base.length + 1) * width);
  for (let i = base.length - 1; i >= 0; i--) {
    for (let j = other.length - 1; j >= 0; j--) {
      best[i * width + j] = Math.max(
        best[(i + 1) * width + j + 1]! + score(base[i]!, other[j]!),
        best[(i + 1) * width + j]!,
        best[i * width + j + 1]!,
      );
    }
  }
  const at = new Array<number | undefined>(base.length).fill(undefined);
  for (let i = 0, j = 0; i < base.length && j < other.length;) {
    const here = best[i * width + j]!;
    if (
      here === best[(i + 1) * width + j + 1]! + score(base[i]!, other[j]!) &&
      score(base[i]!, other[j]!) > -9
    )
      at[i++] = j++;
    else if (here === best[(i + 1) * width + j]!) i++;
    else j++;
  }
  return at;
}

/** The key or noun directly before a slot. */
function nameBefore(tokens: readonly Token[], index: number): string {
  const gap = tokens[index - 1];
  const word = tokens[index - 2];
  if (gap?.kind !== 'gap' || word?.kind !== 'word') return '';
  return /^[=:]\s?["']?$|^["']:\s?["']?$/.test(gap.text) ? word.text : '';
}

/** The sentence that stands for a pattern, with the values of one record in its slots. */
export function sentenceOf(slots: PatternSlots, layout: Layout, values: readonly string[]): SentencePart[] {
  // A layout that was not laid along speaks for itself.
  const places = slots.places.get(layout.id);
  const parts: SentencePart[] = [];
  const literals = places ? slots.literals : layout.literals;
  const types = places ? slots.types : ([...layout.types] as SlotType[]);
  literals.forEach((text, index) => {
    if (text !== '') parts.push({ text });
    if (index >= types.length) return;
    const place = places ? places[index] : { slot: index };
    const value = place === undefined ? '' : 'word' in place ? place.word : values[place.slot]!;
    parts.push({ slot: value, type: types[index]! });
  });
  return parts;
}
