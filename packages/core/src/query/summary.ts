import { LEVELS } from '../records/levels.js';
import { MINUTE } from '../segments/minutes.js';
import type { SegmentView } from '../segments/view.js';
import {
  addDistinct,
  countDistinct,
  type Distinct,
  DISTINCT_ERROR,
  emptyDistinct,
  mergeDistinct,
} from './distinct.js';
import { type Quantity, quantityOf, quantityReader } from '../records/quantity.js';
import { rowValues, slotOfField, type SlotPlaces } from './row-values.js';
import { countSelected, rowsOfSelection, type Selection } from './selection.js';
import { addToSketch, emptySketch, mergeSketch, quantileOf, type Sketch, SKETCH_ERROR } from './sketch.js';
import { type Argument, argumentName, type Measure, type Summary } from './steps.js';
import { rowsOf, type Window } from './window.js';

/** What is kept of a measure's numbers while records are gone through. */
interface Numbers {
  count: number;
  sum: number;
  min: number;
  max: number;
  dimension?: Quantity['dimension'];
  sketch?: Sketch;
  distinct?: Distinct;
}

/** What is kept of one group, per step of time where there are steps. */
export interface Group {
  /** Values of the fields that the group is made by, undefined where records lack them. */
  key: (string | undefined)[];
  /** Step of time, from 0. */
  step: number;
  count: number;
  numbers: Numbers[];
}

/** Groups beyond this many are left out, and that is said. */
export const MAX_GROUPS = 20_000;

/** Part of a summary: of one segment, or of many. */
export interface PartialSummary {
  groups: Map<string, Group>;
  total: number;
  /** Records whose group was left out since there were too many. */
  left: number;
}

export const emptySummary = (): PartialSummary => ({ groups: new Map(), total: 0, left: 0 });

/** Steps of time that a window has. */
export const stepsIn = (window: Window, every: number): number =>
  Math.ceil((window.to - window.from) / every);

const newNumbers = ({ name }: Measure): Numbers => ({
  count: 0,
  sum: 0,
  min: Infinity,
  max: -Infinity,
  ...(name === 'percentile' && { sketch: emptySketch() }),
  ...(name === 'distinct' && { distinct: emptyDistinct() }),
});

const keyText = (key: readonly (string | undefined)[], step: number): string =>
  `${step}\u0000${key.map((value) => (value === undefined ? '\u0001' : value)).join('\u0000')}`;

/** The numbers of a measure by row, in base units; NaN where there is none. */
interface Measured {
  values: Float64Array;
  dimension: Quantity['dimension'] | undefined;
}

/** Summarises the rows of a segment in a window. */
export async function summarise(
  view: SegmentView,
  selection: Selection,
  window: Window,
  summary: Summary,
  slots?: SlotPlaces,
): Promise<PartialSummary> {
  const result = emptySummary();
  if (selection === false) return result;
  const whole = view.summary.from >= window.from && view.summary.to < window.to;
  const counting =
    summary.by.length === 0 && summary.every === undefined && summary.measures.every(({ of }) => !of);
  if (whole && counting) {
    // Only their number is wanted, which may need no column at all.
    result.total = countSelected(view, selection);
    if (result.total > 0) {
      const group: Group = {
        key: [],
        step: 0,
        count: result.total,
        numbers: summary.measures.map(newNumbers),
      };
      result.groups.set(keyText([], 0), group);
    }
    return result;
  }
  const byMinute = selection === true ? await countMinutes(view, window, summary, whole) : undefined;
  if (byMinute) return byMinute;
  const rows = await rowsOfSelection(view, selection);
  const times = await view.times();
  const [from, to] = rowsOf(times, window);
  if (from === to) return result;
  const by = await Promise.all(summary.by.map((argument) => rowValues(view, argument, slots)));
  const different = await Promise.all(
    summary.measures.map(async ({ of, name }) =>
      of && name === 'distinct' ? rowValues(view, of, slots) : undefined,
    ),
  );
  const measured = await Promise.all(
    summary.measures.map(async ({ of, name }) =>
      of && name !== 'distinct' ? numbersOf(view, of, slots) : undefined,
    ),
  );
  // Groups of this segment by the codes of their values; texts are only made for those there are.
  const found = new Map<number | string, Group>();
  const sizes = by.map((values) => (values?.values.length ?? 0) + 1);
  const many = sizes.reduce((product, size) => product * size, 1) > 2 ** 31;
  const every = summary.every ?? Infinity;
  let lastCode: number | string = NaN;
  let group: Group | undefined;
  for (let row = from; row < to; row++) {
    if (rows !== true && (rows as Uint8Array)[row] === 0) continue;
    result.total++;
    let code: number | string = every === Infinity ? 0 : Math.floor((times[row]! - window.from) / every);
    const step = code;
    for (let at = 0; at < by.length; at++) {
      const own = by[at] ? by[at]!.codes[row]! + 1 : 0;
      code = many ? `${code}/${own}` : (code as number) * sizes[at]! + own;
    }
    if (code !== lastCode) {
      lastCode = code;
      group = found.get(code);
    }
    if (!group) {
      if (found.size >= MAX_GROUPS) {
        result.left++;
        continue;
      }
      const key = by.map((values) =>
        values && values.codes[row]! >= 0 ? values.values[values.codes[row]!] : undefined,
      );
      group = { key, step, count: 0, numbers: summary.measures.map(newNumbers) };
      found.set(code, group);
    }
    group.count++;
    for (let at = 0; at < measured.length; at++) {
      const numbers = measured[at];
      if (numbers) {
        const value = numbers.values[row]!;
        if (!Number.isNaN(value)) take(group.numbers[at]!, value, numbers.dimension);
        continue;
      }
      const values = different[at];
      const value = values?.codes[row] ?? -1;
      if (value >= 0) addDistinct(group.numbers[at]!.distinct!, values!.values[value]!);
    }
  }
  for (const group of found.values()) {
    const text = keyText(group.key, group.step);
    const known = result.groups.get(text);
    // Different values may have one length, or the like.
    if (known) addGroup(known, group);
    else result.groups.set(text, group);
  }
  return result;
}

/**
 * Counts by steps of whole minutes, by level and service at most, from the counts that a segment keeps by
 * minute; undefined where the question asks for more, or the window cuts through the segment at another place
 * than the edge of a minute.
 */
async function countMinutes(
  view: SegmentView,
  window: Window,
  summary: Summary,
  whole: boolean,
): Promise<PartialSummary | undefined> {
  const fits =
    summary.measures.every(({ of }) => !of) &&
    summary.by.every(({ field, call }) => !call && (field === 'level' || field === 'service')) &&
    (summary.every ?? 0) % MINUTE === 0 &&
    (window.from % MINUTE === 0 || (summary.every === undefined && window.from <= view.summary.from)) &&
    (whole || window.to % MINUTE === 0);
  // A sender may declare a level or service that its lines do not name; rows know, minutes do not.
  const declares = view.summary.contexts.some((id) => 'level' in view.catalog.context(id).attributes);
  if (!fits || declares) return undefined;
  const minutes = await view.minutes();
  if (!minutes) return undefined;
  const result = emptySummary();
  for (const { minute, service, level, count } of minutes) {
    const micros = minute * MINUTE;
    if (micros + MINUTE <= window.from || micros >= window.to) continue;
    const step = summary.every === undefined ? 0 : Math.floor((micros - window.from) / summary.every);
    const key = summary.by.map(({ field }) =>
      field === 'service' ? view.summary.services[service] : level === 0 ? undefined : LEVELS[level],
    );
    const text = keyText(key, step);
    let group = result.groups.get(text);
    if (!group)
      result.groups.set(text, (group = { key, step, count: 0, numbers: summary.measures.map(newNumbers) }));
    group.count += count;
    result.total += count;
  }
  return result;
}

/** The numbers of what is measured. */
async function numbersOf(
  view: SegmentView,
  argument: Argument,
  slots?: SlotPlaces,
): Promise<Measured | undefined> {
  const { field, call } = argument;
  const declared = view.summary.contexts.some(
    (id) => view.catalog.context(id).attributes[field] !== undefined,
  );
  const plain = !call && !declared && slotOfField(field) === undefined && view.summary.fields.includes(field);
  if (plain) return view.fieldNumbers(field);
  const found = await rowValues(view, argument, slots);
  if (!found) return undefined;
  const read = found.values.map(call ? quantityOf : quantityReader(field));
  const values = new Float64Array(view.count);
  for (let row = 0; row < values.length; row++) {
    const code = found.codes[row]!;
    values[row] = code < 0 ? NaN : (read[code]?.value ?? NaN);
  }
  return { values, dimension: read.find((one) => one !== undefined)?.dimension };
}

function take(numbers: Numbers, value: number, dimension: Quantity['dimension'] | undefined): void {
  if (dimension !== undefined) numbers.dimension ??= dimension;
  numbers.count++;
  numbers.sum += value;
  if (value < numbers.min) numbers.min = value;
  if (value > numbers.max) numbers.max = value;
  if (numbers.sketch) addToSketch(numbers.sketch, value);
}

/** Adds a part to a summary. */
export function addSummary(sum: PartialSummary, part: PartialSummary): void {
  sum.total += part.total;
  sum.left += part.left;
  for (const [key, group] of part.groups) {
    const known = sum.groups.get(key);
    if (known) addGroup(known, group);
    else if (sum.groups.size < MAX_GROUPS) sum.groups.set(key, group);
    else sum.left += group.count;
  }
}

function addGroup(sum: Group, part: Group): void {
  sum.count += part.count;
  part.numbers.forEach((numbers, at) => {
    const own = sum.numbers[at]!;
    own.count += numbers.count;
    own.sum += numbers.sum;
    own.min = Math.min(own.min, numbers.min);
    own.max = Math.max(own.max, numbers.max);
    own.dimension ??= numbers.dimension;
    if (own.sketch && numbers.sketch) mergeSketch(own.sketch, numbers.sketch);
    if (own.distinct && numbers.distinct) mergeDistinct(own.distinct, numbers.distinct);
  });
}

/** Gives groups other keys and adds up those that are one then; for patterns, of which layouts stand for theirs. */
export function rekeyed(
  partial: PartialSummary,
  keyOf: (key: (string | undefined)[]) => (string | undefined)[],
): PartialSummary {
  const result: PartialSummary = { ...emptySummary(), total: partial.total, left: partial.left };
  for (const group of partial.groups.values()) {
    const key = keyOf(group.key);
    const text = keyText(key, group.step);
    const known = result.groups.get(text);
    if (known) addGroup(known, group);
    else result.groups.set(text, { ...group, key });
  }
  return result;
}

/** A column of a table. */
export interface Column {
  name: string;
  kind: 'group' | 'time' | 'value';
  /** Base unit of its numbers; 'share' for parts of one. */
  unit?: 's' | 'B' | 'share' | '/s';
  /** For estimates: relative error that they keep to. */
  error?: number;
}

export type Cell = string | number | null;

export interface Table {
  columns: Column[];
  rows: Cell[][];
}

/** The table of a summary: a row for each group, the largest first; with steps of time, in their order. */
export function summaryTable(partial: PartialSummary, summary: Summary, window: Window): Table {
  const columns: Column[] = [
    ...(summary.every === undefined ? [] : [{ name: 'time', kind: 'time' } as const]),
    ...summary.by.map((argument) => ({ name: argumentName(argument), kind: 'group' }) as const),
  ];
  const groups = [...partial.groups.values()];
  if (summary.by.length === 0 && summary.every === undefined && groups.length === 0)
    groups.push({ key: [], step: 0, count: 0, numbers: summary.measures.map(newNumbers) });
  groups.sort(
    (a, b) => a.step - b.step || b.count - a.count || (keyText(a.key, 0) < keyText(b.key, 0) ? -1 : 1),
  );
  const rows = groups.map((group): Cell[] => [
    ...(summary.every === undefined ? [] : [window.from + group.step * summary.every]),
    ...group.key.map((value) => value ?? null),
  ]);
  const perStep = new Map<number, number>();
  for (const { step, count } of groups) perStep.set(step, (perStep.get(step) ?? 0) + count);
  summary.measures.forEach((measure, at) => {
    let exact = true;
    for (const [row, group] of groups.entries()) {
      const cell = valueOf(measure, group, at, window, summary.every, perStep.get(group.step)!);
      exact &&= cell.exact;
      rows[row]!.push(Number.isFinite(cell.value) ? cell.value : null);
    }
    const dimension = groups.map(({ numbers }) => numbers[at]!.dimension).find((one) => one !== undefined);
    const unit =
      measure.name === 'share'
        ? 'share'
        : measure.name === 'rate'
          ? '/s'
          : dimension === 'duration'
            ? 's'
            : dimension === 'size'
              ? 'B'
              : undefined;
    columns.push({
      name: measure.column,
      kind: 'value',
      ...(unit !== undefined && { unit }),
      ...(!exact && { error: measure.name === 'distinct' ? DISTINCT_ERROR : SKETCH_ERROR }),
    });
  });
  return { columns, rows };
}

function valueOf(
  { name, percent }: Measure,
  group: Group,
  at: number,
  window: Window,
  every: number | undefined,
  ofStep: number,
): { value: number; exact: boolean } {
  const numbers = group.numbers[at]!;
  const exact = (value: number): { value: number; exact: boolean } => ({ value, exact: true });
  switch (name) {
    case 'count':
      return exact(group.count);
    case 'rate': {
      // The last step may be cut short by the window.
      const length =
        every === undefined
          ? window.to - window.from
          : Math.min(every, window.to - window.from - group.step * every);
      return exact(group.count / (length / 1e6));
    }
    case 'share':
      return exact(group.count / ofStep);
    case 'distinct':
      return countDistinct(numbers.distinct!);
    case 'sum':
      return exact(numbers.sum);
    case 'avg':
      return exact(numbers.sum / numbers.count);
    case 'min':
      return exact(numbers.min);
    case 'max':
      return exact(numbers.max);
    case 'percentile':
      return quantileOf(numbers.sketch!, percent! / 100);
  }
}
