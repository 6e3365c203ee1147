import { LEVEL_ERROR } from '../records/levels.js';
import type { SegmentView } from '../segments/view.js';
import type { Rows } from './evaluate.js';
import { rowsOf, type Window } from './window.js';

/** Records by step of time. */
export interface Volume {
  total: number[];
  /** Of these, records at level error and above. */
  errors: number[];
}

export const emptyVolume = (steps: number): Volume => ({
  total: new Array<number>(steps).fill(0),
  errors: new Array<number>(steps).fill(0),
});

/** Counts the rows of a segment into equal steps of a window. */
export async function volumeOf(
  view: SegmentView,
  rows: Rows,
  window: Window,
  steps: number,
): Promise<Volume> {
  const volume = emptyVolume(steps);
  if (rows === false) return volume;
  const times = await view.times();
  const levels = await view.levels();
  const width = (window.to - window.from) / steps;
  const [from, to] = rowsOf(times, window);
  for (let row = from; row < to; row++) {
    if (rows !== true && rows[row] === 0) continue;
    const step = Math.min(steps - 1, Math.floor((times[row]! - window.from) / width));
    volume.total[step]!++;
    if (levels[row]! >= LEVEL_ERROR) volume.errors[step]!++;
  }
  return volume;
}

export function addVolume(sum: Volume, part: Volume): void {
  part.total.forEach((count, step) => (sum.total[step]! += count));
  part.errors.forEach((count, step) => (sum.errors[step]! += count));
}
