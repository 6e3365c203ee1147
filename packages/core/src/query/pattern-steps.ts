import type { SegmentView } from '../segments/view.js';
import { holds, type Rows } from './selection.js';
import { rowsOf } from './window.js';

/** Equal steps of time, in microseconds. */
interface StepsOfTime {
  from: number;
  width: number;
  count: number;
}

/** How many records of some layouts a segment holds in each step of time: layout, step and count one after the other; steps without any are left out. */
export async function countSteps(
  view: SegmentView,
  rows: Rows,
  { from, width, count }: StepsOfTime,
  wanted: ReadonlySet<number>,
): Promise<Float64Array> {
  const codes = view.summary.layouts.map((layout) => wanted.has(layout));
  if (rows === false || !codes.includes(true)) return new Float64Array(0);
  const times = await view.times();
  const [first, end] = rowsOf(times, { from, to: from + width * count });
  if (first === end) return new Float64Array(0);
  const layouts = await view.layouts();
  const sums = new Map<number, Map<number, number>>();
  for (let row = first; row < end; row++) {
    const code = layouts[row]!;
    if (!codes[code] || !holds(rows, row)) continue;
    const step = Math.floor((times[row]! - from) / width);
    let own = sums.get(code);
    if (!own) sums.set(code, (own = new Map<number, number>()));
    own.set(step, (own.get(step) ?? 0) + 1);
  }
  const flat: number[] = [];
  for (const [code, own] of sums)
    for (const [step, sum] of own) flat.push(view.summary.layouts[code]!, step, sum);
  return Float64Array.from(flat);
}
