import type { FieldNumbers, FieldValues, SegmentView } from '../segments/view.js';
import type { Rows } from './evaluate.js';
import { type Quantity, quantityReader } from '../records/quantity.js';
import { rowValues, slotOfField, type SlotPlaces } from './row-values.js';
import { differenceP, discoveries, normalTail, ratioInterval } from '../statistics/significance.js';
import { rowsOf, type Window } from './window.js';

/** How often each value of a field came in focus and baseline. */
export interface FieldCounts {
  focus: number;
  baseline: number;
  values: Map<string, [focus: number, baseline: number]>;
  /** Records of values that were too many to be kept. */
  left: [focus: number, baseline: number];
  /** Records of segments in which most had a value of their own. */
  single: number;
  /** For numbers: how many lie in each bucket, whose bounds grow by 1%. */
  buckets: Map<number, [focus: number, baseline: number]>;
  dimension?: Quantity['dimension'];
}

/** Different values of one field that are kept; what is beyond is counted only as a sum. */
const MAX_VALUES = 20_000;
/** Of these no more than so many of a segment, the commonest. */
const MAX_OF_SEGMENT = 2000;

export const emptyFieldCounts = (): FieldCounts => ({
  focus: 0,
  baseline: 0,
  values: new Map(),
  left: [0, 0],
  single: 0,
  buckets: new Map(),
});

/** Counts the values of fields over the rows of a segment in both windows. */
export async function countFields(
  view: SegmentView,
  rows: Rows,
  focus: Window,
  baseline: Window,
  fields: readonly string[],
  slots?: SlotPlaces,
): Promise<Map<string, FieldCounts>> {
  const found = new Map<string, FieldCounts>();
  if (rows === false) return found;
  const times = await view.times();
  const spans = [focus, baseline].map((window) => rowsOf(times, window));
  if (spans.every(([from, to]) => from === to)) return found;
  for (const field of fields) {
    const sum = emptyFieldCounts();
    const numbers = slotOfField(field) === undefined ? await view.fieldNumbers(field) : undefined;
    if (numbers?.dimension !== undefined) countNumbers(sum, numbers, spans, rows);
    if ((await view.field(field))?.column.hex && !declares(view, field)) {
      // Nearly each is another: they are counted, not listed.
      countIdentifiers(sum, (await view.field(field))!, spans, rows);
      if (sum.focus + sum.baseline > 0) found.set(field, sum);
      continue;
    }
    const values = await rowValues(view, { field }, slots);
    if (!values) continue;
    const counts = spans.map(([from, to]) => {
      const of = new Uint32Array(values.values.length);
      for (let row = from; row < to; row++) {
        const code = values.codes[row]!;
        if (code >= 0 && (rows === true || rows[row] === 1)) of[code]!++;
      }
      return of;
    });
    noteValues(sum, values.values, counts[0]!, counts[1]!);
    if (sum.focus + sum.baseline > 0) found.set(field, sum);
  }
  return found;
}

/** Whether a sender states a field for all of its records. */
const declares = (view: SegmentView, field: string): boolean =>
  view.summary.contexts.some((id) => field in view.catalog.context(id).attributes);

/** Counts the records that have an identifier, none of which is kept. */
function countIdentifiers(
  sum: FieldCounts,
  { rows: index }: FieldValues,
  spans: readonly (readonly [number, number])[],
  rows: Rows,
): void {
  const counts = spans.map(([from, to]) => {
    let count = 0;
    for (let row = from; row < to; row++)
      if (index[row]! >= 0 && (rows === true || (rows as Uint8Array)[row] === 1)) count++;
    return count;
  });
  note(sum, undefined, counts[0]!, counts[1]!);
  sum.single += counts[0]! + counts[1]!;
}

/** Takes the values of a segment into a sum: all of them, or the commonest where they are very many. */
function noteValues(
  sum: FieldCounts,
  values: readonly string[],
  focus: Uint32Array,
  baseline: Uint32Array,
): void {
  const present: number[] = [];
  let total = 0;
  for (let code = 0; code < values.length; code++) {
    const own = focus[code]! + baseline[code]!;
    total += own;
    if (own > 0) present.push(code);
  }
  if (present.length > total * 0.5) sum.single += total;
  let least = 0;
  if (present.length > MAX_OF_SEGMENT) {
    const sizes = Uint32Array.from(present, (code) => focus[code]! + baseline[code]!).sort();
    least = sizes[sizes.length - MAX_OF_SEGMENT]!;
  }
  let kept = 0;
  for (const code of present) {
    const keep = focus[code]! + baseline[code]! >= least && kept < MAX_OF_SEGMENT;
    if (keep) kept++;
    note(sum, keep ? values[code]! : undefined, focus[code]!, baseline[code]!);
  }
}

const LOG_BASE = Math.log(1.01);

/** Bucket of a number: the sign and the power of 1.01 that it lies under. */
function bucketOf(value: number): number {
  const size = Math.abs(value);
  if (size < 1e-12) return 0;
  const index = Math.ceil(Math.log(size) / LOG_BASE) + 5000;
  return value > 0 ? index : -index;
}

const valueOfBucket = (bucket: number): number =>
  bucket === 0 ? 0 : Math.sign(bucket) * 1.01 ** (Math.abs(bucket) - 5000 - 0.5);

function countNumbers(
  sum: FieldCounts,
  { values, dimension }: FieldNumbers,
  spans: readonly (readonly [number, number])[],
  rows: Rows,
): void {
  sum.dimension = dimension;
  for (const [window, [from, to]] of spans.entries()) {
    for (let row = from; row < to; row++) {
      const value = values[row]!;
      if (Number.isNaN(value) || (rows !== true && (rows as Uint8Array)[row] === 0)) continue;
      const bucket = bucketOf(value);
      const counts = sum.buckets.get(bucket);
      if (counts) counts[window]!++;
      else sum.buckets.set(bucket, window === 0 ? [1, 0] : [0, 1]);
    }
  }
}

/** Takes in a value, or the records of one that is not kept. */
function note(sum: FieldCounts, value: string | undefined, focus: number, baseline: number): void {
  sum.focus += focus;
  sum.baseline += baseline;
  const known = value === undefined ? undefined : sum.values.get(value);
  if (known) {
    known[0] += focus;
    known[1] += baseline;
  } else if (value !== undefined && sum.values.size < MAX_VALUES) sum.values.set(value, [focus, baseline]);
  else {
    sum.left[0] += focus;
    sum.left[1] += baseline;
  }
}

export function addFieldCounts(
  sums: Map<string, FieldCounts>,
  parts: ReadonlyMap<string, FieldCounts>,
): void {
  for (const [field, part] of parts) {
    let sum = sums.get(field);
    if (!sum) sums.set(field, (sum = emptyFieldCounts()));
    for (const [value, [focus, baseline]] of part.values) note(sum, value, focus, baseline);
    sum.focus += part.left[0];
    sum.baseline += part.left[1];
    sum.left[0] += part.left[0];
    sum.left[1] += part.left[1];
    sum.single += part.single;
    if (part.dimension !== undefined) sum.dimension ??= part.dimension;
    for (const [bucket, [focus, baseline]] of part.buckets) {
      const known = sum.buckets.get(bucket);
      if (known) {
        known[0] += focus;
        known[1] += baseline;
      } else sum.buckets.set(bucket, [focus, baseline]);
    }
  }
}

/** A value with how its share changed between the windows. */
export interface ValueDifference {
  value: string;
  focus: number;
  baseline: number;
  /** Share of the focus' records divided by that of the baseline's; absent where the baseline has none. */
  lift?: number;
  /** 95% limits of the lift. */
  interval: [low: number, high: number];
  /** Chance of a difference like this where there is none. */
  p: number;
  /** Whether it stands among all values and fields tested, at a false discovery rate of 5%. */
  significant: boolean;
}

/** How the numbers of a field moved. */
export interface Shift {
  /** Median and 95th percentile, in base units. */
  focus: { median: number; p95: number };
  baseline: { median: number; p95: number };
  unit: 'number' | 'duration' | 'size';
  /** Chance that a value of the focus is above one of the baseline; a half where nothing moved. */
  above: number;
  p: number;
  significant: boolean;
}

export interface FieldDifference {
  field: string;
  /** Records that have the field. */
  focus: number;
  baseline: number;
  distinct: number;
  /** True for fields whose values hardly come twice; they tell nothing about what differs. */
  identifier: boolean;
  /** How far the two distributions are apart, from 0 to 1 (Jensen–Shannon divergence in bits). */
  divergence: number;
  values: ValueDifference[];
  shift?: Shift;
}

/** So many values, none of which is common, speak for an identifier. */
const MANY_VALUES = 100;
const RARE_SHARE = 0.02;

/**
 * True for fields with many values of which hardly any is in both windows, such as identifiers of requests:
 * each comes some times within moments, and never again.
 */
function turnsOver({ values, focus, baseline }: FieldCounts): boolean {
  if (values.size < MANY_VALUES || focus < MANY_VALUES || baseline < MANY_VALUES) return false;
  let [shared, most] = [0, 0];
  for (const [inFocus, inBaseline] of values.values()) {
    if (inFocus > 0 && inBaseline > 0) shared++;
    most = Math.max(most, inFocus / focus, inBaseline / baseline);
  }
  return shared / values.size < RARE_SHARE && most < RARE_SHARE;
}

/** Values that are tested for each field: the most frequent. */
const TESTED = 200;

/** Fields in the order of how much they differ between focus and baseline, their values by how surely they do. */
export function fieldDifferences(counts: ReadonlyMap<string, FieldCounts>, limit: number): FieldDifference[] {
  const found = [...counts].map(([field, of]): FieldDifference => {
    const total = of.focus + of.baseline;
    const distinct = of.values.size;
    const identifier = (total >= 30 && of.single > total * 0.5) || turnsOver(of);
    const tested = [...of.values].sort(([, a], [, b]) => b[0] + b[1] - a[0] - a[1]).slice(0, TESTED);
    const values = identifier
      ? []
      : tested.map(([value, [focus, baseline]]): ValueDifference => ({
          value,
          focus,
          baseline,
          ...(baseline > 0 && of.focus > 0 && { lift: focus / of.focus / (baseline / of.baseline) }),
          interval: ratioInterval(focus, of.focus, baseline, of.baseline),
          p: differenceP(focus, of.focus, baseline, of.baseline),
          significant: false,
        }));
    const shift = shiftOf(field, of);
    return {
      field,
      focus: of.focus,
      baseline: of.baseline,
      distinct,
      identifier,
      divergence: identifier ? 0 : divergenceOf(of),
      values,
      ...(shift && { shift }),
    };
  });
  const tests = found.flatMap(({ values, shift }) => [...values, ...(shift ? [shift] : [])]);
  discoveries(tests.map(({ p }) => p)).forEach((stands, at) => (tests[at]!.significant = stands));
  for (const field of found) {
    field.values.sort((a, b) => a.p - b.p || b.focus - a.focus);
    field.values = field.values.slice(0, limit);
  }
  const weight = (field: FieldDifference): number => {
    const surest = Math.min(1, ...field.values.map(({ p }) => p), field.shift?.p ?? 1);
    const stands = field.values.some(({ significant }) => significant) || field.shift?.significant === true;
    return (
      (stands ? 10 : 0) +
      Math.max(field.divergence, field.shift ? Math.abs(field.shift.above - 0.5) : 0) +
      (1 - surest) / 100
    );
  };
  return found.sort((a, b) => weight(b) - weight(a) || (a.field < b.field ? -1 : 1));
}

/** Jensen–Shannon divergence of the shares of values (Lin 1991). */
function divergenceOf({ focus, baseline, values }: FieldCounts): number {
  if (focus === 0 || baseline === 0) return 0;
  let sum = 0;
  for (const [inFocus, inBaseline] of values.values()) {
    const p = inFocus / focus;
    const q = inBaseline / baseline;
    const middle = (p + q) / 2;
    if (p > 0) sum += 0.5 * p * Math.log2(p / middle);
    if (q > 0) sum += 0.5 * q * Math.log2(q / middle);
  }
  return Math.min(1, Math.max(0, sum));
}

/** Fewer different numbers are a code rather than a measure. */
const MEASURE_AT = 8;

/** How numbers moved: medians, and the rank test of Mann and Whitney (1947) with its correction for ties. Numbers of one bucket count as equal. */
function shiftOf(field: string, counts: FieldCounts): Shift | undefined {
  const { dimension, numbers } = numbersOf(field, counts);
  if (dimension === undefined || numbers.length < MEASURE_AT) return undefined;
  numbers.sort((a, b) => a.value - b.value);
  const n = numbers.reduce((sum, { focus }) => sum + focus, 0);
  const m = numbers.reduce((sum, { baseline }) => sum + baseline, 0);
  if (n === 0 || m === 0 || n + m < (counts.focus + counts.baseline) * 0.9) return undefined;
  let below = 0;
  let above = 0;
  let ties = 0;
  for (const { focus, baseline } of numbers) {
    above += focus * (below + baseline / 2);
    below += baseline;
    const tied = focus + baseline;
    ties += tied ** 3 - tied;
  }
  const all = n + m;
  const variance = ((n * m) / 12) * (all + 1 - ties / (all * Math.max(1, all - 1)));
  const z = variance > 0 ? (above - (n * m) / 2) / Math.sqrt(variance) : 0;
  const quantile = (of: 'focus' | 'baseline', total: number, share: number): number => {
    let seen = 0;
    for (const one of numbers) {
      seen += one[of];
      if (seen >= share * total) return one.value;
    }
    return NaN;
  };
  const of = (which: 'focus' | 'baseline', total: number): { median: number; p95: number } => ({
    median: quantile(which, total, 0.5),
    p95: quantile(which, total, 0.95),
  });
  return {
    focus: of('focus', n),
    baseline: of('baseline', m),
    unit: dimension,
    above: above / (n * m),
    p: Math.min(1, 2 * normalTail(Math.abs(z))),
    significant: false,
  };
}

/** The numbers of a field with how often they came: exactly, or by bucket where values had to be left out. */
function numbersOf(
  field: string,
  { values, left, buckets, dimension: bucketed }: FieldCounts,
): { dimension?: Shift['unit']; numbers: { value: number; focus: number; baseline: number }[] } {
  if (left[0] + left[1] > 0) {
    const numbers = [...buckets].map(([bucket, [focus, baseline]]) => ({
      value: valueOfBucket(bucket),
      focus,
      baseline,
    }));
    return { ...(bucketed !== undefined && { dimension: bucketed }), numbers };
  }
  const read = quantityReader(field);
  const numbers: { value: number; focus: number; baseline: number }[] = [];
  let dimension: Shift['unit'] | undefined;
  for (const [text, [focus, baseline]] of values) {
    const quantity = read(text);
    if (!quantity) continue;
    dimension ??= quantity.dimension;
    if (quantity.dimension === dimension) numbers.push({ value: quantity.value, focus, baseline });
  }
  return { ...(dimension !== undefined && { dimension }), numbers };
}
