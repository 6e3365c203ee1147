import { MARGIN_SHARE } from '../patterns/surprise.js';
import { LEVELS } from '../records/levels.js';
import type { SegmentView } from '../segments/view.js';
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

/** Counts a segment's layouts (by the data set's ids) in focus and baseline. */
export async function countLayouts(
  view: SegmentView,
  rows: Rows,
  focus: Window,
  baseline: Window | undefined,
): Promise<Map<number, LayoutCounts>> {
  const counts = new Map<number, LayoutCounts>();
  const { summary } = view;
  if (rows === false) return counts;
  const [times, layouts, levels, services] = [
    await view.times(),
    await view.layouts(),
    await view.levels(),
    await view.services(),
  ];
  const ofLayout = new Array<LayoutCounts | undefined>(summary.layouts.length);
  const countsOf = (code: number): LayoutCounts => {
    let found = ofLayout[code];
    if (!found) counts.set(summary.layouts[code]!, (found = ofLayout[code] = emptyCounts()));
    return found;
  };
  const count = (window: Window, isFocus: boolean): void => {
    if (!overlaps(window, summary.from, summary.to)) return;
    const [from, to] = rowsOf(times, window);
    const width = (window.to - window.from) / TREND_STEPS;
    for (let row = from; row < to; row++) {
      if (rows !== true && rows[row] === 0) continue;
      const found = countsOf(layouts[row]!);
      const micros = times[row]!;
      found[isFocus ? 'focus' : 'baseline']++;
      found.levels[levels[row]!]!++;
      if (micros < found.first) found.first = micros;
      if (micros > found.last) found.last = micros;
      const service = summary.services[services[row]!]!;
      found.services.set(service, (found.services.get(service) ?? 0) + 1);
      const step = Math.min(TREND_STEPS - 1, Math.floor((micros - window.from) / width));
      found[isFocus ? 'trend' : 'baselineTrend'][step]!++;
      if (isFocus || !found.sample?.inFocus)
        found.sample = { segment: view.key, row, micros, inFocus: isFocus };
    }
  };
  if (baseline) count(baseline, false);
  count(focus, true);
  return counts;
}

/** Counts what some layouts did in a segment before the focus. */
export async function countHistory(
  view: SegmentView,
  rows: Rows,
  focus: Window,
  stretch: number,
  wanted: ReadonlySet<number>,
): Promise<Map<number, LayoutHistory>> {
  const { summary } = view;
  const histories = new Map<number, LayoutHistory>();
  if (rows === false || summary.from >= focus.from || !summary.layouts.some((id) => wanted.has(id)))
    return histories;
  const settled = focus.from - (focus.to - focus.from) * MARGIN_SHARE;
  const stretchAt = (micros: number): number => Math.floor((settled - 1 - micros) / stretch);
  const newest = stretchAt(summary.to);
  if (rows === true && summary.to < settled && newest === stretchAt(summary.from)) {
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
  const layouts = await view.layouts();
  const distinct = summary.layouts.length;
  const end = firstAt(times, focus.from);
  const margin = firstAt(times, settled);
  // Rows are in the order of time, so a stretch is a run of rows; plain arrays keep this to a few instructions a row.
  for (let from = 0; from < end;) {
    const inMargin = from >= margin;
    const at = stretchAt(times[from]!);
    const to = inMargin ? end : Math.min(margin, Math.max(from + 1, firstAt(times, settled - at * stretch)));
    const counts = new Uint32Array(distinct);
    const first = new Int32Array(distinct).fill(-1);
    const last = new Int32Array(distinct);
    for (let row = from; row < to; row++) {
      if (rows !== true && rows[row] === 0) continue;
      const code = layouts[row]!;
      if (first[code] === -1) first[code] = row;
      last[code] = row;
      counts[code]!++;
    }
    summary.layouts.forEach((id, code) => {
      if (counts[code] === 0 || !wanted.has(id)) return;
      const part = {
        earlier: counts[code]!,
        margin: inMargin ? counts[code]! : 0,
        first: times[first[code]!]!,
        last: times[last[code]!]!,
        stretches: new Map(inMargin ? [] : [[at, counts[code]!]]),
      };
      addHistory(histories, id, part);
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

export function addAllCounts(sum: Map<number, LayoutCounts>, part: ReadonlyMap<number, LayoutCounts>): void {
  for (const [layout, counts] of part) {
    let known = sum.get(layout);
    if (!known) sum.set(layout, (known = emptyCounts()));
    addCounts(known, counts);
  }
}

export function addAllHistory(
  sum: Map<number, LayoutHistory>,
  part: ReadonlyMap<number, LayoutHistory>,
): void {
  for (const [layout, history] of part) addHistory(sum, layout, history);
}
