import { LEVELS } from '../records/levels.js';
import { type SegmentView } from '../segments/view.js';
import { type Rows } from './evaluate.js';
import { firstAt, rowsOf, type Window } from './window.js';

/** Steps of a trend over the focus, and of that over the baseline. */
export const TREND_STEPS = 24;

/** What is counted of one layout, over one segment or over all. */
export interface LayoutCounts {
  focus: number;
  baseline: number;
  /** Records before the focus. */
  earlier: number;
  /** Time of the first and the last record up to the end of the focus, whatever the windows. */
  first: number;
  last: number;
  /** Records of the focus and the baseline by level code. */
  levels: number[];
  services: Map<string, number>;
  trend: number[];
  baselineTrend: number[];
  /** The newest record: of the focus, else of the baseline. */
  sample?: { segment: string; row: number; micros: number; inFocus: boolean };
}

export const emptyCounts = (): LayoutCounts => ({
  focus: 0,
  baseline: 0,
  earlier: 0,
  first: Infinity,
  last: -Infinity,
  levels: LEVELS.map(() => 0),
  services: new Map(),
  trend: new Array<number>(TREND_STEPS).fill(0),
  baselineTrend: new Array<number>(TREND_STEPS).fill(0),
});

/** Counts a segment's layouts (by the data set's ids) in focus, baseline and before. */
export async function countLayouts(
  view: SegmentView,
  rows: Rows,
  focus: Window,
  baseline: Window | undefined,
): Promise<Map<number, LayoutCounts>> {
  const counts = new Map<number, LayoutCounts>();
  const { summary } = view;
  if (rows === false || summary.from >= focus.to) return counts;
  const ofLayout = summary.layouts.map(() => undefined as LayoutCounts | undefined);
  const countsOf = (code: number): LayoutCounts => {
    let found = ofLayout[code];
    if (!found) counts.set(summary.layouts[code]!, (found = ofLayout[code] = emptyCounts()));
    return found;
  };
  const inBaseline = baseline !== undefined && summary.from < baseline.to && summary.to >= baseline.from;
  if (rows === true && summary.to < focus.from && !inBaseline) {
    // The whole segment lies before: its summary answers.
    summary.layoutCounts.forEach((count, code) => {
      const found = countsOf(code);
      found.earlier = count;
      found.first = summary.layoutFirst[code]!;
      found.last = summary.layoutLast[code]!;
    });
    return counts;
  }
  const times = await view.times();
  const layouts = await view.layouts();
  const end = firstAt(times, focus.to);
  const focusFrom = firstAt(times, focus.from);
  for (let row = 0; row < end; row++) {
    if (rows !== true && rows[row] === 0) continue;
    const found = countsOf(layouts[row]!);
    if (row < focusFrom) found.earlier++;
    if (found.first === Infinity) found.first = times[row]!;
    found.last = times[row]!;
  }
  const levels = await view.levels();
  const services = await view.services();
  const count = (window: Window, isFocus: boolean): void => {
    const [from, to] = rowsOf(times, window);
    const width = (window.to - window.from) / TREND_STEPS;
    for (let row = from; row < to; row++) {
      if (rows !== true && rows[row] === 0) continue;
      const found = countsOf(layouts[row]!);
      found[isFocus ? 'focus' : 'baseline']++;
      found.levels[levels[row]!]!++;
      const service = summary.services[services[row]!]!;
      found.services.set(service, (found.services.get(service) ?? 0) + 1);
      const step = Math.min(TREND_STEPS - 1, Math.floor((times[row]! - window.from) / width));
      found[isFocus ? 'trend' : 'baselineTrend'][step]!++;
      if (isFocus || !found.sample?.inFocus) {
        found.sample = { segment: view.key, row, micros: times[row]!, inFocus: isFocus };
      }
    }
  };
  if (baseline) count(baseline, false);
  count(focus, true);
  return counts;
}

/** Adds the counts of a part to a sum. */
export function addCounts(sum: LayoutCounts, part: LayoutCounts): void {
  sum.focus += part.focus;
  sum.baseline += part.baseline;
  sum.earlier += part.earlier;
  sum.first = Math.min(sum.first, part.first);
  sum.last = Math.max(sum.last, part.last);
  part.levels.forEach((count, level) => (sum.levels[level]! += count));
  for (const [service, count] of part.services) sum.services.set(service, (sum.services.get(service) ?? 0) + count);
  part.trend.forEach((count, step) => (sum.trend[step]! += count));
  part.baselineTrend.forEach((count, step) => (sum.baselineTrend[step]! += count));
  if (part.sample && isBetterSample(part.sample, sum.sample)) sum.sample = part.sample;
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
