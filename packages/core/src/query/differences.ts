import type { SegmentView } from '../segments/view.js';
import type { Rows } from './evaluate.js';
import { quantityOf, unitOfField } from '../records/quantity.js';
import { rowValues, type SlotPlaces } from './row-values.js';
import { differenceP, discoveries, normalTail, ratioInterval } from './significance.js';
import { rowsOf, type Window } from './window.js';

/** How often each value of a field came in focus and baseline. */
export interface FieldCounts {
  focus: number;
  baseline: number;
  values: Map<string, [focus: number, baseline: number]>;
  /** Records of values that were too many to be kept. */
  left: [focus: number, baseline: number];
}

/** Different values of one field that are kept; what is beyond is counted only as a sum. */
const MAX_VALUES = 20_000;
/** Of a field of which most records have a value of their own, no more than this are kept of a segment. */
const IDENTIFIER_AT = 2000;

export const emptyFieldCounts = (): FieldCounts => ({ focus: 0, baseline: 0, values: new Map(), left: [0, 0] });

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
    // A field that hardly ever has a value twice is only counted: its values would be very many, and tell nothing.
    const values = await rowValues(view, { field }, slots);
    if (!values) continue;
    const counts = spans.map(([from, to]) => {
      const of = new Uint32Array(values.values.length);
      for (let row = from; row < to; row++) {
        const code = values.codes[row]!;
        if (code >= 0 && (rows === true || (rows as Uint8Array)[row] === 1)) of[code]!++;
      }
      return of;
    });
    const sum = emptyFieldCounts();
    let different = 0;
    let total = 0;
    for (let code = 0; code < values.values.length; code++) {
      const own = counts[0]![code]! + counts[1]![code]!;
      if (own > 0) different++;
      total += own;
    }
    const most = different > IDENTIFIER_AT && different > total * 0.5 ? IDENTIFIER_AT : MAX_VALUES;
    for (let code = 0; code < values.values.length; code++) {
      const [inFocus, inBaseline] = [counts[0]![code]!, counts[1]![code]!];
      if (inFocus + inBaseline > 0) note(sum, values.values[code]!, inFocus, inBaseline, most);
    }
    if (sum.focus + sum.baseline > 0) found.set(field, sum);
  }
  return found;
}

function note(sum: FieldCounts, value: string, focus: number, baseline: number, most = MAX_VALUES): void {
  sum.focus += focus;
  sum.baseline += baseline;
  const known = sum.values.get(value);
  if (known) {
    known[0] += focus;
    known[1] += baseline;
  } else if (sum.values.size < most) sum.values.set(value, [focus, baseline]);
  else {
    sum.left[0] += focus;
    sum.left[1] += baseline;
  }
}

export function addFieldCounts(sums: Map<string, FieldCounts>, parts: ReadonlyMap<string, FieldCounts>): void {
  for (const [field, part] of parts) {
    let sum = sums.get(field);
    if (!sum) sums.set(field, (sum = emptyFieldCounts()));
    for (const [value, [focus, baseline]] of part.values) note(sum, value, focus, baseline);
    sum.focus += part.left[0];
    sum.baseline += part.left[1];
    sum.left[0] += part.left[0];
    sum.left[1] += part.left[1];
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

/** Values that are tested for each field: the most frequent. */
const TESTED = 200;

/** Fields in the order of how much they differ between focus and baseline, their values by how surely they do. */
export function fieldDifferences(counts: ReadonlyMap<string, FieldCounts>, limit: number): FieldDifference[] {
  const found = [...counts].map(([field, of]): FieldDifference => {
    const total = of.focus + of.baseline;
    const distinct = of.values.size;
    // Values that were left out are taken for different ones: that is why they were too many.
    const left = of.left[0] + of.left[1];
    const identifier = total >= 30 && distinct + left > total * 0.5;
    const tested = [...of.values].sort(([, a], [, b]) => b[0] + b[1] - a[0] - a[1]).slice(0, TESTED);
    const values = identifier ? [] : tested.map(([value, [focus, baseline]]): ValueDifference => ({
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
    return (stands ? 10 : 0) + Math.max(field.divergence, field.shift ? Math.abs(field.shift.above - 0.5) : 0) + (1 - surest) / 100;
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

/** How numbers moved: medians, and the rank test of Mann and Whitney (1947) with its correction for ties. */
function shiftOf(field: string, counts: FieldCounts): Shift | undefined {
  const unit = unitOfField(field);
  const numbers: { value: number; focus: number; baseline: number }[] = [];
  let dimension: Shift['unit'] | undefined;
  let read = 0;
  for (const [text, [focus, baseline]] of counts.values) {
    let quantity = quantityOf(text);
    if (quantity?.dimension === 'number' && unit !== '') quantity = quantityOf(text + unit);
    if (!quantity) continue;
    dimension ??= quantity.dimension;
    if (quantity.dimension !== dimension) continue;
    read += focus + baseline;
    numbers.push({ value: quantity.value, focus, baseline });
  }
  if (dimension === undefined || numbers.length < MEASURE_AT || read < (counts.focus + counts.baseline) * 0.9) return undefined;
  numbers.sort((a, b) => a.value - b.value);
  const n = numbers.reduce((sum, { focus }) => sum + focus, 0);
  const m = numbers.reduce((sum, { baseline }) => sum + baseline, 0);
  if (n === 0 || m === 0) return undefined;
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
