import { MARGIN_SHARE } from '../patterns/surprise.js';
import { LEVELS } from '../records/levels.js';
import type { SegmentView } from '../segments/view.js';
import { codedRows, type CountKey, type Splits } from './count-keys.js';
import type { Rows } from './evaluate.js';
import { firstAt, overlaps, rowsOf, type Window } from './window.js';

/** Steps of a trend over the focus, and of that over the baseline. */
export const TREND_STEPS = 24;

/** What is counted of one layout in focus and baseline, over one segment or over all. */
export interface LayoutCounts {
  focus: number;
  baseline: number;
  /** Time of the first and the last record in the windows. */
  first: number;
  last: number;
  /** Records of both windows by level code. */
  levels: number[];
  services: Map<string, number>;
  trend: number[];
  baselineTrend: number[];
  /** The newest record: of the focus, else of the baseline. */
  sample?: { segment: string; row: number; micros: number; inFocus: boolean };
}

/** What one layout did before the focus. */
export interface LayoutHistory {
  /** Records before the focus. */
  earlier: number;
  first: number;
  last: number;
  /** Of these, records in the margin before the focus. */
  margin: number;
  /** The others by stretch, counted backwards from the focus. */
  stretches: Map<number, number>;
}

export const emptyCounts = (): LayoutCounts => ({
  focus: 0,
  baseline: 0,
  first: Infinity,
  last: -Infinity,
  levels: LEVELS.map(() => 0),
  services: new Map(),
  trend: new Array<number>(TREND_STEPS).fill(0),
  baselineTrend: new Array<number>(TREND_STEPS).fill(0),
});

export const emptyHistory = (): LayoutHistory => ({
  earlier: 0,
  margin: 0,
  first: Infinity,
  last: -Infinity,
  stretches: new Map(),
});

/** History is looked at in stretches as long as the focus, but in no more than this many. */
const MAX_STRETCHES = 400;

/** Length of the stretches in which the time before the focus is looked at. */
export function stretchOf(focus: Window, heldFrom: number): number {
  return Math.max(focus.to - focus.from, (focus.from - heldFrom) / MAX_STRETCHES);
}

const NO_SPLITS: Splits = new Map();

/** The step of a window in which a moment lies. */
const stepAt = (window: Window, micros: number): number =>
  Math.min(TREND_STEPS - 1, Math.floor(((micros - window.from) * TREND_STEPS) / (window.to - window.from)));

/** Counts a segment's layouts (by the data set's ids) in focus and baseline; those of split patterns by value too. */
export async function countLayouts(
  view: SegmentView,
  rows: Rows,
  focus: Window,
  baseline: Window | undefined,
  splits: Splits = NO_SPLITS,
): Promise<Map<CountKey, LayoutCounts>> {
  const counts = new Map<CountKey, LayoutCounts>();
  const { summary } = view;
  if (rows === false) return counts;
  const countsOf = (key: CountKey): LayoutCounts => {
    let found = counts.get(key);
    if (!found) counts.set(key, (found = emptyCounts()));
    return found;
  };
  const split = splits.size > 0 && summary.layouts.some((id) => splits.has(id));
  for (const window of baseline ? [baseline, focus] : [focus]) {
    if (!overlaps(window, summary.from, summary.to)) continue;
    const isFocus = window === focus;
    const whole = summary.from >= window.from && summary.to < window.to;
    if (
      whole &&
      rows === true &&
      !split &&
      summary.cells &&
      stepAt(window, summary.from) === stepAt(window, summary.to)
    ) {
      countWhole(view, window, isFocus, countsOf);
    } else await countRows(view, rows, window, isFocus, splits, countsOf);
  }
  return counts;
}

/** Counts a segment that lies in one step of the window, by its summary alone. */
function countWhole(
  view: SegmentView,
  window: Window,
  isFocus: boolean,
  countsOf: (key: CountKey) => LayoutCounts,
): void {
  const { summary } = view;
  const step = stepAt(window, summary.from);
  const cells = summary.cells!;
  for (let at = 0; at < cells.length; at += 4) {
    const found = countsOf(summary.layouts[cells[at]!]!);
    const count = cells[at + 3]!;
    const service = summary.services[cells[at + 1]!]!;
    found[isFocus ? 'focus' : 'baseline'] += count;
    found.levels[cells[at + 2]!]! += count;
    found.services.set(service, (found.services.get(service) ?? 0) + count);
    found[isFocus ? 'trend' : 'baselineTrend'][step]! += count;
  }
  summary.layouts.forEach((id, code) => {
    const found = countsOf(id);
    found.first = Math.min(found.first, summary.layoutFirst[code]!);
    const micros = summary.layoutLast[code]!;
    found.last = Math.max(found.last, micros);
    if (isFocus || !found.sample?.inFocus)
      found.sample = { segment: view.key, row: summary.layoutLastRow![code]!, micros, inFocus: isFocus };
  });
}

/**
 * Counts the rows of a window. Rows are in the order of time, so that a step is a run of rows, and what is
 * counted in each is one array by code: a few instructions a row.
 */
async function countRows(
  view: SegmentView,
  rows: Rows,
  window: Window,
  isFocus: boolean,
  splits: Splits,
  countsOf: (key: CountKey) => LayoutCounts,
): Promise<void> {
  const { summary } = view;
  const [times, levels, services] = [await view.times(), await view.levels(), await view.services()];
  const { codes, keys } = await codedRows(view, splits);
  const [from, to] = rowsOf(times, window);
  if (from === to) return;
  const width = (window.to - window.from) / TREND_STEPS;
  const perKey = LEVELS.length * summary.services.length;
  const cells = new Uint32Array(keys.length * perKey);
  const first = new Int32Array(keys.length).fill(-1);
  const last = new Int32Array(keys.length);
  const steps: { step: number; counts: Uint32Array }[] = [];
  for (let start = from; start < to;) {
    const step = stepAt(window, times[start]!);
    const end =
      step === TREND_STEPS - 1
        ? to
        : Math.max(start + 1, Math.min(to, firstAt(times, window.from + (step + 1) * width)));
    const counts = new Uint32Array(keys.length);
    for (let row = start; row < end; row++) {
      if (rows !== true && (rows as Uint8Array)[row] === 0) continue;
      const code = codes[row]!;
      counts[code]!++;
      cells[code * perKey + services[row]! * LEVELS.length + levels[row]!]!++;
      if (first[code] === -1) first[code] = row;
      last[code] = row;
    }
    steps.push({ step, counts });
    start = end;
  }
  for (let code = 0; code < keys.length; code++) {
    if (first[code] === -1) continue;
    const found = countsOf(keys[code]!);
    for (const { step, counts } of steps) found[isFocus ? 'trend' : 'baselineTrend'][step]! += counts[code]!;
    summary.services.forEach((service, at) => {
      let own = 0;
      for (let level = 0; level < LEVELS.length; level++) {
        const count = cells[code * perKey + at * LEVELS.length + level]!;
        found.levels[level]! += count;
        own += count;
      }
      if (own > 0) found.services.set(service, (found.services.get(service) ?? 0) + own);
      found[isFocus ? 'focus' : 'baseline'] += own;
    });
    found.first = Math.min(found.first, times[first[code]!]!);
    const micros = times[last[code]!]!;
    found.last = Math.max(found.last, micros);
    if (isFocus || !found.sample?.inFocus)
      found.sample = { segment: view.key, row: last[code]!, micros, inFocus: isFocus };
  }
}

/** Counts what some layouts did in a segment before the focus. */
export async function countHistory(
  view: SegmentView,
  rows: Rows,
  focus: Window,
  stretch: number,
  wanted: ReadonlySet<number>,
  splits: Splits = NO_SPLITS,
): Promise<Map<CountKey, LayoutHistory>> {
  const { summary } = view;
  const histories = new Map<CountKey, LayoutHistory>();
  if (rows === false || summary.from >= focus.from || !summary.layouts.some((id) => wanted.has(id)))
    return histories;
  const settled = focus.from - (focus.to - focus.from) * MARGIN_SHARE;
  const stretchAt = (micros: number): number => Math.floor((settled - 1 - micros) / stretch);
  const newest = stretchAt(summary.to);
  const split = splits.size > 0 && summary.layouts.some((id) => splits.has(id));
  if (rows === true && !split && summary.to < settled && newest === stretchAt(summary.from)) {
    // The whole segment lies in one stretch: its summary answers.
    summary.layouts.forEach((id, code) => {
      if (!wanted.has(id)) return;
      const earlier = summary.layoutCounts[code]!;
      const [first, last] = [summary.layoutFirst[code]!, summary.layoutLast[code]!];
      histories.set(id, { earlier, margin: 0, first, last, stretches: new Map([[newest, earlier]]) });
    });
    return histories;
  }
  const times = await view.times();
  const { codes, keys } = await codedRows(view, splits);
  const isWanted = keys.map(
    (_, code) => code >= summary.layouts.length || wanted.has(summary.layouts[code]!),
  );
  const end = firstAt(times, focus.from);
  const margin = firstAt(times, settled);
  // Rows are in the order of time, so a stretch is a run of rows; plain arrays keep this to a few instructions a row.
  for (let from = 0; from < end;) {
    const inMargin = from >= margin;
    const at = stretchAt(times[from]!);
    const to = inMargin ? end : Math.min(margin, Math.max(from + 1, firstAt(times, settled - at * stretch)));
    const counts = new Uint32Array(keys.length);
    const first = new Int32Array(keys.length).fill(-1);
    const last = new Int32Array(keys.length);
    for (let row = from; row < to; row++) {
      if (rows !== true && rows[row] === 0) continue;
      const code = codes[row]!;
      if (first[code] === -1) first[code] = row;
      last[code] = row;
      counts[code]!++;
    }
    keys.forEach((key, code) => {
      if (counts[code] === 0 || !isWanted[code]) return;
      const part = {
        earlier: counts[code]!,
        margin: inMargin ? counts[code]! : 0,
        first: times[first[code]!]!,
        last: times[last[code]!]!,
        stretches: new Map(inMargin ? [] : [[at, counts[code]!]]),
      };
      addHistory(histories, key, part);
    });
    from = to;
  }
  return histories;
}

/** Adds the counts of a part to a sum. */
export function addCounts(sum: LayoutCounts, part: LayoutCounts): void {
  sum.focus += part.focus;
  sum.baseline += part.baseline;
  sum.first = Math.min(sum.first, part.first);
  sum.last = Math.max(sum.last, part.last);
  part.levels.forEach((count, level) => (sum.levels[level]! += count));
  addTo(sum.services, part.services);
  part.trend.forEach((count, step) => (sum.trend[step]! += count));
  part.baselineTrend.forEach((count, step) => (sum.baselineTrend[step]! += count));
  if (part.sample && isBetterSample(part.sample, sum.sample)) sum.sample = part.sample;
}

/** Adds a history to that of the same layout or pattern. */
export function addHistory<K>(sums: Map<K, LayoutHistory>, key: K, part: LayoutHistory): void {
  let sum = sums.get(key);
  if (!sum) sums.set(key, (sum = emptyHistory()));
  sum.earlier += part.earlier;
  sum.margin += part.margin;
  sum.first = Math.min(sum.first, part.first);
  sum.last = Math.max(sum.last, part.last);
  addTo(sum.stretches, part.stretches);
}

function addTo<K>(sum: Map<K, number>, part: ReadonlyMap<K, number>): void {
  for (const [key, count] of part) sum.set(key, (sum.get(key) ?? 0) + count);
}

function isBetterSample(a: NonNullable<LayoutCounts['sample']>, b: LayoutCounts['sample']): boolean {
  if (!b) return true;
  return a.inFocus === b.inFocus ? a.micros > b.micros : a.inFocus;
}

export function addAllCounts(
  sum: Map<CountKey, LayoutCounts>,
  part: ReadonlyMap<CountKey, LayoutCounts>,
): void {
  for (const [key, counts] of part) {
    let known = sum.get(key);
    if (!known) sum.set(key, (known = emptyCounts()));
    addCounts(known, counts);
  }
}

export function addAllHistory(
  sum: Map<CountKey, LayoutHistory>,
  part: ReadonlyMap<CountKey, LayoutHistory>,
): void {
  for (const [key, history] of part) addHistory(sum, key, history);
}
