import type { Regular } from '../series/normal.js';
import { median } from '../statistics/median.js';

/** A stretch in which what is measured all the time was not measured. */
export interface Silence {
  /** Seconds since 1970. */
  onset: number;
  end: number;
  goesOn: boolean;
  /** What was usual before it. */
  usual: number;
}

/** Steps without a value that are no hiccup. */
const LONG = 5;
/** Steps before it that tell whether it is measured all the time… */
const BEFORE = 60;
/** …and the share of them that has to have a value. */
const STEADY = 0.95;

/** The first long silence in a focus of a series that is measured all the time; undefined where there is none. */
export function silenceOf(
  { from, step, values }: Regular,
  focus: { from: number; to: number },
): Silence | undefined {
  const first = Math.max(0, Math.round((focus.from - from) / step));
  const end = Math.min(values.length, Math.round((focus.to - from) / step));
  for (let at = first; at < end; at++) {
    if (!Number.isNaN(values[at]!)) continue;
    let next = at;
    while (next < end && Number.isNaN(values[next]!)) next++;
    if (next - at >= LONG) {
      const before = values.slice(Math.max(0, at - BEFORE), at);
      const known = before.filter((value) => !Number.isNaN(value));
      return before.length === BEFORE && known.length >= STEADY * BEFORE
        ? { onset: from + at * step, end: from + next * step, goesOn: next === end, usual: median(known) }
        : undefined;
    }
    at = next;
  }
  return undefined;
}
