import { type Quantity, quantityReader } from '../records/quantity.js';
import type { FieldValues, RowCodes, SegmentView } from '../segments/view.js';
import type { Rows } from './evaluate.js';
import { rowValues, slotOfField, type SlotPlaces } from './row-values.js';
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
/** Where a segment has more than so many different ones, only the commonest of it are kept. */
const MAX_OF_SEGMENT = 2000;
const COMMONEST = 1000;

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
  const [inFocus, inBaseline] = [rowsOf(times, focus), rowsOf(times, baseline)];
  const picked: Picked = [pickedRows(inFocus, rows), pickedRows(inBaseline, rows)];
  if (picked.every(({ length }) => length === 0)) return found;
  // Of a segment that lies in one window as a whole, it is known from the last time.
  const whole =
    rows === true &&
    picked.some(({ length }) => length === view.count) &&
    picked.some(({ length }) => length === 0);
  for (const field of fields) {
    const sum =
      whole && slotOfField(field) === undefined
        ? await wholeCounts(view, field, picked[0].length > 0)
        : await countField(view, field, picked, slots);
    if (sum.focus + sum.baseline > 0) found.set(field, sum);
  }
  return found;
}

/** Counts of a whole segment, kept with its columns. */
async function wholeCounts(view: SegmentView, field: string, isFocus: boolean): Promise<FieldCounts> {
  const counts = await view.cached(`counts:${field}`, async () => {
    const all = Uint32Array.from({ length: view.count }, (_, row) => row);
    const own = await countField(view, field, [all, new Uint32Array(0)]);
    return [own, 500 + own.values.size * 150 + own.buckets.size * 100];
  });
  return isFocus ? counts : swapped(counts);
}

/** The same, counted as baseline. */
function swapped(counts: FieldCounts): FieldCounts {
  const other = ([focus, baseline]: readonly [number, number]): [number, number] => [baseline, focus];
  return {
    ...counts,
    focus: counts.baseline,
    baseline: counts.focus,
    left: other(counts.left),
    values: new Map(Array.from(counts.values, ([value, own]) => [value, other(own)])),
    buckets: new Map(Array.from(counts.buckets, ([bucket, own]) => [bucket, other(own)])),
  };
}

/** Rows that are counted, of focus and baseline. */
type Picked = readonly [focus: Uint32Array, baseline: Uint32Array];

function pickedRows([from, to]: readonly [number, number], rows: true | Uint8Array): Uint32Array {
  const picked = new Uint32Array(to - from);
  let count = 0;
  for (let row = from; row < to; row++) if (rows === true || rows[row] === 1) picked[count++] = row;
  return picked.subarray(0, count);
}

/** Where fewer of a segment's rows are counted, their values are read one by one. */
const FEW = 1 / 16;

async function countField(
  view: SegmentView,
  field: string,
  picked: Picked,
  slots?: SlotPlaces,
): Promise<FieldCounts> {
  const isSlot = slotOfField(field) !== undefined;
  const own = isSlot || declares(view, field) ? undefined : await view.field(field);
  // Of identifiers nearly each is another: they are counted, not listed.
  if (own?.column.hex) return identifiersOf(own, picked);
  const read = quantityReader(field);
  if (own?.column.scaled) return countsOf(tallyNumbers(own, picked, read));
  if (own && picked[0].length + picked[1].length < FEW * view.count)
    return countsOf(tallyTexts(own, picked, read));
  const values = await rowValues(view, { field }, slots);
  return values ? countsOf(tallyCodes(values, picked, isSlot ? undefined : read)) : emptyFieldCounts();
}

/** How often each value of a segment came; some of them never, where others of their column are counted. */
interface Tally {
  focus: Uint32Array;
  baseline: Uint32Array;
  /** A value as it stood in its line. */
  spell: (at: number) => string;
  /** What it measures, if anything. */
  quantity?: ((at: number) => Quantity | undefined) | undefined;
}

type Reader = (text: string) => Quantity | undefined;

/** Whether a sender states a field for all of its records. */
const declares = (view: SegmentView, field: string): boolean =>
  view.summary.contexts.some((id) => field in view.catalog.context(id).attributes);

/** Counts the records that have an identifier, none of which is kept. */
function identifiersOf({ rows }: FieldValues, picked: Picked): FieldCounts {
  const having = (own: Uint32Array): number => own.reduce((all, row) => (rows[row]! >= 0 ? all + 1 : all), 0);
  const [focus, baseline] = [having(picked[0]), having(picked[1])];
  return { ...emptyFieldCounts(), focus, baseline, left: [focus, baseline], single: focus + baseline };
}

function tallyCodes({ codes, values }: RowCodes, picked: Picked, read: Reader | undefined): Tally {
  const count = (rows: Uint32Array): Uint32Array => {
    const of = new Uint32Array(values.length);
    for (const row of rows) if (codes[row]! >= 0) of[codes[row]!]!++;
    return of;
  };
  return {
    focus: count(picked[0]),
    baseline: count(picked[1]),
    spell: (at) => values[at]!,
    quantity: read && ((at) => read(values[at]!)),
  };
}

/** Of a few rows: no other value of the column is looked at. */
function tallyTexts({ rows, column }: FieldValues, picked: Picked, read: Reader): Tally {
  const codes = new Map<string, number>();
  const counts: [number[], number[]] = [[], []];
  for (const [window, own] of picked.entries())
    for (const row of own) {
      if (rows[row]! < 0) continue;
      const value = column.get(rows[row]!);
      let code = codes.get(value);
      if (code === undefined) codes.set(value, (code = codes.size));
      counts[window]![code] = (counts[window]![code] ?? 0) + 1;
    }
  const values = [...codes.keys()];
  const filled = (own: readonly number[]): Uint32Array =>
    Uint32Array.from(values, (_, code) => own[code] ?? 0);
  return {
    focus: filled(counts[0]),
    baseline: filled(counts[1]),
    spell: (at) => values[at]!,
    quantity: (at) => read(values[at]!),
  };
}

/** Of numbers of one form: they are told apart as numbers. */
function tallyNumbers(field: FieldValues, picked: Picked, read: Reader): Tally {
  const { numbers, spell, suffix, prefix, decimals } = field.column.scaled!;
  let [least, most] = [Infinity, -Infinity];
  for (const number of numbers) {
    if (number < least) least = number;
    if (number > most) most = number;
  }
  const { focus, baseline, numberAt } =
    least <= most && most - least < NARROW ? inRange(field, picked, least, most) : inTable(field, picked);
  // All have one unit: one of them tells by what they are multiplied.
  const one = prefix === '' ? read(`1${suffix}`) : undefined;
  const scale = 10 ** decimals;
  return {
    focus,
    baseline,
    spell: (at) => spell(numberAt(at)),
    quantity: one && ((at) => ({ dimension: one.dimension, value: (numberAt(at) / scale) * one.value })),
  };
}

/** Numbers that lie closer together are counted each in its place. */
const NARROW = 65_536;

interface NumberTally extends Pick<Tally, 'focus' | 'baseline'> {
  numberAt: (at: number) => number;
}

function inRange({ rows, column }: FieldValues, picked: Picked, least: number, most: number): NumberTally {
  const { numbers } = column.scaled!;
  const count = (own: Uint32Array): Uint32Array => {
    const of = new Uint32Array(most - least + 1);
    for (const row of own) if (rows[row]! >= 0) of[numbers[rows[row]!]! - least]!++;
    return of;
  };
  return { focus: count(picked[0]), baseline: count(picked[1]), numberAt: (at) => least + at };
}

/** Counts in a table with open addresses. */
function inTable({ rows, column }: FieldValues, picked: Picked): NumberTally {
  const { numbers } = column.scaled!;
  const size = 2 ** Math.ceil(Math.log2(2 * (picked[0].length + picked[1].length) + 2));
  /** The code of the number at each place, from 1; 0 where there is none. */
  const table = new Int32Array(size);
  const values = new Float64Array(size / 2);
  const counts = [new Uint32Array(size / 2), new Uint32Array(size / 2)] as const;
  let known = 0;
  for (const [window, own] of picked.entries())
    for (const row of own) {
      if (rows[row]! < 0) continue;
      const number = numbers[rows[row]!]!;
      const hash = Math.imul(number ^ (number / 2 ** 32), 0x9e3779b1);
      let place = (hash ^ (hash >>> 15)) & (size - 1);
      while (table[place] !== 0 && values[table[place]! - 1] !== number) place = (place + 1) & (size - 1);
      if (table[place] === 0) {
        values[known++] = number;
        table[place] = known;
      }
      counts[window]![table[place]! - 1]!++;
    }
  return {
    focus: counts[0].subarray(0, known),
    baseline: counts[1].subarray(0, known),
    numberAt: (at) => values[at]!,
  };
}

/** The values of a segment: all of them, or the commonest where they are very many. */
function countsOf({ focus, baseline, spell, quantity }: Tally): FieldCounts {
  const sum = emptyFieldCounts();
  let [present, total] = [0, 0];
  for (let at = 0; at < focus.length; at++) {
    const own = focus[at]! + baseline[at]!;
    total += own;
    if (own > 0) present++;
  }
  if (present > total * 0.5) sum.single += total;
  const least = present > MAX_OF_SEGMENT ? sizeOfCommonest(focus, baseline) : 1;
  let kept = 0;
  for (let at = 0; at < focus.length; at++) {
    const [inFocus, inBaseline] = [focus[at]!, baseline[at]!];
    if (inFocus + inBaseline === 0) continue;
    const keep = inFocus + inBaseline >= least && (present <= MAX_OF_SEGMENT || kept < COMMONEST);
    if (keep) kept++;
    note(sum, keep ? spell(at) : undefined, inFocus, inBaseline);
    const number = quantity?.(at);
    if (number) noteNumber(sum, number, inFocus, inBaseline);
  }
  return sum;
}

/** The least count of the commonest values. */
function sizeOfCommonest(focus: Uint32Array, baseline: Uint32Array): number {
  const bySize = new Map<number, number>();
  for (let at = 0; at < focus.length; at++) {
    const own = focus[at]! + baseline[at]!;
    bySize.set(own, (bySize.get(own) ?? 0) + 1);
  }
  let values = 0;
  for (const [size, of] of [...bySize].sort(([a], [b]) => b - a)) {
    values += of;
    if (values >= COMMONEST) return size;
  }
  return 1;
}

const LOG_BASE = Math.log(1.01);

/** Bucket of a number: the sign and the power of 1.01 that it lies under. */
function bucketOf(value: number): number {
  const size = Math.abs(value);
  if (size < 1e-12) return 0;
  const index = Math.ceil(Math.log(size) / LOG_BASE) + 5000;
  return value > 0 ? index : -index;
}

/** The middle of a bucket. */
export const valueOfBucket = (bucket: number): number =>
  bucket === 0 ? 0 : Math.sign(bucket) * 1.01 ** (Math.abs(bucket) - 5000 - 0.5);

function noteNumber(sum: FieldCounts, { value, dimension }: Quantity, focus: number, baseline: number): void {
  sum.dimension ??= dimension;
  const bucket = bucketOf(value);
  const counts = sum.buckets.get(bucket);
  if (counts) {
    counts[0] += focus;
    counts[1] += baseline;
  } else sum.buckets.set(bucket, [focus, baseline]);
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
