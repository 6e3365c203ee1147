import { leakOf } from '../impact/leak.js';
import type { Regular } from '../series/normal.js';
import { median } from '../statistics/median.js';
import type { Deviation } from './deviation.js';

/** A climb is looked for over so many seconds before the end of the focus, or so many times its length. */
const LOOK = 6 * 3600;
const TIMES = 4;
/** Of what it climbed, the most that may have come within a quarter of the time: the rest is no slow climb, but a step. */
const AT_ONCE = 0.5;
/** A day before, at the same time, it must not have climbed by this part as well: that is the time of day. */
const HABIT = 0.5;
const DAY = 86_400;
/** Parts of that time: what it came from is the median of the first, what it came to that of the last. */
const PARTS = 12;

/**
 * A slow, steady climb towards a limit that is reached soon: as long after the focus as it was looked at before, at
 * the most. It is too slow to leave what is normal at any moment. It began where it left, for good, what it came
 * from.
 */
export function climbOf(
  { from, step, values }: Regular,
  limits: Regular,
  focus: { from: number; to: number },
): Deviation | undefined {
  const length = Math.max(LOOK, TIMES * (focus.to - focus.from));
  const end = Math.min(values.length, Math.round((focus.to - from) / step));
  const start = Math.max(0, Math.round((focus.to - length - from) / step));
  const limit = lastOf(limits, focus.to);
  if (end - start < PARTS || limit === undefined || limit <= 0) return undefined;
  const own = Array.from(values.slice(start, end));
  const leak = leakOf(own, step, limit);
  if (!leak || leak.left > length) return undefined;
  const part = Math.floor(own.length / PARTS);
  const [first, last] = [known(own.slice(0, part)), known(own.slice(-part))];
  if (first.length === 0 || last.length === 0) return undefined;
  const [usual, value] = [median(first), median(last)];
  if (isStep(own, part, value - usual)) return undefined;
  const ago = Array.from(
    { length: own.length },
    (_, at) => values[start + at - Math.round(DAY / step)] ?? NaN,
  );
  const [then, later] = [known(ago.slice(0, part)), known(ago.slice(-part))];
  if (then.length > 0 && later.length > 0 && median(later) - median(then) > HABIT * (value - usual))
    return undefined;
  const above = Math.max(...first);
  let began = own.length - 1;
  while (began > 0 && !(own[began - 1]! <= above)) began--;
  // What it scatters by about its slope tells how far it went.
  const scatter = median(
    known(own.map((one, at) => Math.abs(one - (value - leak.slope * step * (own.length - part / 2 - at))))),
  );
  return {
    side: 'above',
    onset: from + (start + began) * step,
    within: part * step,
    end: from + end * step,
    goesOn: true,
    value,
    usual,
    spreads: (value - usual) / Math.max(1.4826 * scatter, 0.02 * Math.abs(usual), 1e-12),
    limitIn: leak.left,
  };
}

/** The last known value before a moment. */
function lastOf({ from, step, values }: Regular, moment: number): number | undefined {
  for (let at = Math.min(values.length, Math.round((moment - from) / step)) - 1; at >= 0; at--)
    if (!Number.isNaN(values[at]!)) return values[at];
  return undefined;
}

const known = (some: readonly number[]): number[] => some.filter((value) => !Number.isNaN(value));

/** Whether most of a climb came at once. */
function isStep(own: readonly number[], part: number, climbed: number): boolean {
  const levels = Array.from({ length: PARTS }, (_, at) => known(own.slice(at * part, (at + 1) * part))).map(
    (some) => (some.length === 0 ? NaN : median(some)),
  );
  const quarter = PARTS / 4;
  return levels.slice(quarter).some((level, at) => level - levels[at]! > AT_ONCE * climbed);
}
