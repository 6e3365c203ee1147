import { quantityReader } from '../records/quantity.js';
import { differenceP, discoveries, normalTail, ratioInterval } from '../statistics/significance.js';
import { type FieldCounts, valueOfBucket } from './field-counts.js';

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
  /** Set where values were too many to be kept. */
  more?: true;
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
      ...(of.left[0] + of.left[1] > 0 && { more: true as const }),
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
