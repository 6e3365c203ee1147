import { Bits } from './bits.js';
import type { Column } from './table.js';

/** What a term asks of a feature. */
export type Asks =
  | { is: 'in'; codes: number[] }
  /** Numbers from `low` on, below `high`. */
  | { is: 'range'; low?: number; high?: number }
  | { is: 'present' }
  | { is: 'absent' };

/** A term with how many of both cohorts it holds of. */
export interface Term {
  feature: number;
  asks: Asks;
  failing: number;
  healthy: number;
  /** How many terms of its kind there are, of which it is the best: what chance makes has so many tries. */
  ways: number;
}

/** Values of one field that a term names, at most. */
const MOST_VALUES = 8;
/** Values that are looked at one by one. */
const SINGLE = 6;
/** Parts that numbers are cut into before the best range of them is looked for. */
const PARTS = 128;
/** Standard errors by which a value has to be commoner among the failing to be named with others. */
const COMMONER = 2;

/** Items that a term holds of. */
export function itemsOf(asks: Asks, column: Column, length: number): Bits {
  const bits = new Bits(length);
  // One loop for each, without a call for each item: there are hundreds of terms over hundreds of thousands of items.
  if (asks.is === 'in' && column.of === 'categories') {
    const { codes, values } = column;
    const wanted = new Uint8Array(values.length);
    for (const code of asks.codes) wanted[code] = 1;
    for (let item = 0; item < length; item++)
      if (codes[item]! >= 0 && wanted[codes[item]!] === 1) bits.add(item);
  } else if (asks.is === 'range' && column.of === 'numbers') {
    const { values } = column;
    const { low = -Infinity, high = Infinity } = asks;
    for (let item = 0; item < length; item++)
      if (values[item]! >= low && values[item]! < high) bits.add(item);
  } else {
    const wanted = asks.is === 'present';
    for (let item = 0; item < length; item++) if (isPresent(column, item) === wanted) bits.add(item);
  }
  return bits;
}

function isPresent(column: Column, item: number): boolean {
  switch (column.of) {
    case 'categories':
      return column.codes[item]! >= 0;
    case 'numbers':
      return !Number.isNaN(column.values[item]!);
    case 'flags':
      return column.set[item] === 1;
  }
}

/** Sizes of the cohorts, and which items belong to the first. */
export interface Sides {
  failing: Uint8Array;
  /** Items that are looked at; the others are as if they were not there. */
  of: Uint8Array;
  failingAll: number;
  healthyAll: number;
}

/** The terms of a feature that are worth trying: those that hold of a larger share of the failing than of the healthy. */
export function termsOf(feature: number, column: Column, sides: Sides, support: number): Term[] {
  switch (column.of) {
    case 'categories':
      return ofCategories(feature, column, sides, support);
    case 'numbers':
      return ofNumbers(feature, column.values, sides, support);
    case 'flags':
      return ofPresence(feature, column, sides, support);
  }
}

const better = ({ failing, healthy }: Term, { failingAll, healthyAll }: Sides): number =>
  failing / Math.max(1, failingAll) - healthy / Math.max(1, healthyAll);

function kept(terms: Term[], sides: Sides, support: number): Term[] {
  return terms
    .filter((term) => term.failing >= support && better(term, sides) > 0)
    .sort((a, b) => better(b, sides) - better(a, sides));
}

function ofPresence(feature: number, column: Column, sides: Sides, support: number): Term[] {
  let failing = 0;
  let healthy = 0;
  for (let item = 0; item < sides.failing.length; item++) {
    if (sides.of[item] === 0 || !isPresent(column, item)) continue;
    if (sides.failing[item] === 1) failing++;
    else healthy++;
  }
  const terms: Term[] = [
    { feature, asks: { is: 'present' }, failing, healthy, ways: 2 },
    {
      feature,
      asks: { is: 'absent' },
      failing: sides.failingAll - failing,
      healthy: sides.healthyAll - healthy,
      ways: 2,
    },
  ];
  return kept(terms, sides, support);
}

function ofCategories(
  feature: number,
  column: Extract<Column, { of: 'categories' }>,
  sides: Sides,
  support: number,
): Term[] {
  const { codes, values } = column;
  const { failingAll, healthyAll } = sides;
  const failing = new Float64Array(values.length);
  const healthy = new Float64Array(values.length);
  for (let item = 0; item < codes.length; item++) {
    const code = codes[item]!;
    if (code < 0 || sides.of[item] === 0) continue;
    if (sides.failing[item] === 1) failing[code]!++;
    else healthy[code]!++;
  }
  const single = values.map((_, code): Term => ({
    feature,
    asks: { is: 'in', codes: [code] },
    failing: failing[code]!,
    healthy: healthy[code]!,
    ways: values.length,
  }));
  // Of all sets the one of the values that are commoner among the failing tells the cohorts apart best (Breiman et al. 1984).
  const commoner = single
    .filter((term) => {
      const p = term.failing / failingAll;
      const q = term.healthy / Math.max(1, healthyAll);
      const error = Math.sqrt((p * (1 - p)) / failingAll + (q * (1 - q)) / Math.max(1, healthyAll));
      return term.failing > 1 && p - q > COMMONER * error;
    })
    .sort((a, b) => better(b, sides) - better(a, sides) || codeOf(a) - codeOf(b))
    .slice(0, MOST_VALUES);
  const terms = kept(single, sides, support).slice(0, SINGLE);
  if (commoner.length > 1)
    terms.push({
      feature,
      asks: { is: 'in', codes: commoner.map(codeOf) },
      failing: commoner.reduce((sum, one) => sum + one.failing, 0),
      healthy: commoner.reduce((sum, one) => sum + one.healthy, 0),
      ways: choices(values.length, commoner.length),
    });
  return kept([...terms, ...ofPresence(feature, column, sides, support)], sides, support);
}

/** In how many ways some of many can be chosen. */
function choices(many: number, some: number): number {
  let ways = 1;
  for (let at = 1; at <= some; at++) ways *= (many - some + at) / at;
  return ways;
}

const codeOf = ({ asks }: Term): number => (asks as Extract<Asks, { is: 'in' }>).codes[0]!;

/**
 * The range of numbers that tells the cohorts apart best: of neighbouring parts with about as many items the run
 * with the largest excess of the failing (Kadane's maximum subarray, as Bentley 1984 tells it); open to both sides
 * too.
 */
function ofNumbers(feature: number, values: Float64Array, sides: Sides, support: number): Term[] {
  const presence = ofPresence(feature, { of: 'numbers', values }, sides, support);
  const { cuts, parts } = partsOf(values);
  const failing = new Float64Array(cuts.length + 1);
  const healthy = new Float64Array(cuts.length + 1);
  for (let item = 0; item < parts.length; item++) {
    const part = parts[item]!;
    if (part === NO_PART || sides.of[item] === 0) continue;
    if (sides.failing[item] === 1) failing[part]!++;
    else healthy[part]!++;
  }
  const { failingAll, healthyAll } = sides;
  const excess = Array.from(
    failing,
    (own, part) => own / Math.max(1, failingAll) - healthy[part]! / Math.max(1, healthyAll),
  );
  const term = (from: number, to: number): Term => {
    let own = 0;
    let others = 0;
    for (let part = from; part < to; part++) {
      own += failing[part]!;
      others += healthy[part]!;
    }
    return {
      feature,
      asks: {
        is: 'range',
        ...(from > 0 && { low: cuts[from - 1]! }),
        ...(to <= cuts.length && { high: cuts[to - 1]! }),
      },
      failing: own,
      healthy: others,
      ways: (excess.length * (excess.length + 1)) / 2,
    };
  };
  const ranges = [bestFrom(excess), bestTo(excess), bestBetween(excess)]
    .filter(([from, to]) => from > 0 || to < excess.length)
    .map(([from, to]) => term(from, to));
  return kept([...ranges, ...presence], sides, support);
}

interface Parts {
  /** Where one part ends and the next begins. */
  cuts: readonly number[];
  /** The part of each item, or that it has none. */
  parts: Uint8Array;
}

const NO_PART = 255;
/** Parts of columns: they are the same for whatever is looked for in them. */
const partsKnown = new WeakMap<Float64Array, Parts>();

/** Numbers in neighbouring parts of about as many items each; those far away from all others make parts of their own. */
function partsOf(values: Float64Array): Parts {
  let own = partsKnown.get(values);
  if (own) return own;
  const sorted = values.filter((value) => !Number.isNaN(value)).sort();
  const cuts: number[] = [];
  const cutAt = (place: number): void => {
    const cut = sorted[place]!;
    if (cut > (cuts.at(-1) ?? sorted[0]!)) cuts.push(cut);
  };
  if (sorted.length > 0) {
    for (let part = 1; part < PARTS; part++) cutAt(Math.floor((part * sorted.length) / PARTS));
    for (const share of [0.995, 0.999]) cutAt(Math.floor(share * sorted.length));
  }
  const parts = new Uint8Array(values.length);
  for (let item = 0; item < values.length; item++)
    parts[item] = Number.isNaN(values[item]!) ? NO_PART : partOf(cuts, values[item]!);
  own = { cuts, parts };
  partsKnown.set(values, own);
  return own;
}

/** The part that a number lies in. */
function partOf(cuts: readonly number[], value: number): number {
  let low = 0;
  let high = cuts.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (cuts[middle]! <= value) low = middle + 1;
    else high = middle;
  }
  return low;
}

function bestFrom(excess: readonly number[]): [from: number, to: number] {
  let [best, sum, from] = [-Infinity, 0, 0];
  for (let at = excess.length - 1; at >= 0; at--) {
    sum += excess[at]!;
    if (sum > best + 1e-12) [best, from] = [sum, at];
  }
  return [from, excess.length];
}

function bestTo(excess: readonly number[]): [from: number, to: number] {
  let [best, sum, to] = [-Infinity, 0, excess.length];
  for (let at = 0; at < excess.length; at++) {
    sum += excess[at]!;
    if (sum > best + 1e-12) [best, to] = [sum, at + 1];
  }
  return [0, to];
}

function bestBetween(excess: readonly number[]): [from: number, to: number] {
  let [best, sum, start, from, to] = [-Infinity, 0, 0, 0, excess.length];
  for (let at = 0; at < excess.length; at++) {
    if (sum <= 0) [sum, start] = [0, at];
    sum += excess[at]!;
    if (sum > best + 1e-12) [best, from, to] = [sum, start, at + 1];
  }
  return [from, to];
}
