import { theilSen } from '../series/normal.js';
import { median } from '../statistics/median.js';

/** Steps before those outside in which a departure may have begun. */
const BACK = 10;
/** Steps that tell the level of the day it is on. */
const LATELY = 30;
/** Steps that tell how steep a climb begins, and those before it in which its foot may lie. */
const CLIMB = 5;
const FOOT = 8;
/** Spreads from a level that chance brings about. */
const UNREST = 1.25;

/** How far a step is off, in spreads; NaN where nothing was measured. */
type Off = (at: number) => number;

/**
 * The step in which a series departed to a stretch outside, told to a part of a step. It is where the steps begin
 * that together are furthest beyond what is hardly a departure from the level of its day: the likeliest place of a
 * change (Page 1954), which neither a single step before it nor one within it moves. What climbed began at the foot
 * of its climb; what leapt began as late in its first step as the next one got further.
 *
 * @param stretch the steps outside
 * @param least what is hardly a departure, from a level
 */
export function departureOf(
  off: Off,
  stretch: { from: number; to: number },
  least: (level: number) => number,
): { at: number; within: number } {
  const start = Math.max(0, stretch.from - BACK);
  const beyond = least(Math.max(0, levelOf(off, start, LATELY)));
  let [sum, most, since, first] = [0, 0, stretch.from, stretch.from];
  for (let at = start; at < stretch.to; at++) {
    if (Number.isNaN(off(at))) continue;
    if (sum === 0) since = at;
    sum = Math.max(0, sum + off(at) - beyond);
    if (sum > most) [most, first] = [sum, since];
  }
  let measured = first - 1;
  while (measured > 0 && Number.isNaN(off(measured))) measured--;
  return { at: beginning(off, first, stretch.to), within: first - measured };
}

/**
 * When what is well under way in a step began: a climb at its foot, down the line of its first steps to the level
 * before, which no step before it was beyond; a leap in this step or the one before, as far as that is off already.
 * What is measured at the end of a step tells of the time up to then.
 */
function beginning(off: Off, first: number, end: number): number {
  const level = levelOf(off, first - FOOT, BACK);
  const isUnderWay = (at: number): boolean => off(at) > level + UNREST;
  const climb = Array.from({ length: CLIMB }, (_, at) => ({ at, value: off(first + at) }));
  const slope = first + CLIMB > end || climb.some(({ value }) => Number.isNaN(value)) ? 0 : theilSen(climb);
  const along =
    slope > 0 ? (median(climb.map(({ at, value }) => value - slope * at)) - level) / slope : Infinity;
  if (along <= 0 || along > FOOT) {
    const leapt = isUnderWay(first - 1) ? first - 1 : first;
    return leapt + lateBy(off, leapt);
  }
  let earliest = first;
  while (first - earliest < FOOT && isUnderWay(earliest - 1)) earliest--;
  const foot = first + 1 - along;
  // Where the steps before do not bear out the line, it began somewhere in the first of them that does.
  return foot < earliest - 0.5 ? earliest + 0.5 : Math.min(first + 1, Math.max(earliest, foot));
}

/** A step in which it changed tells by how far it got when in it that was: little at its end, nearly all at once. */
function lateBy(off: Off, at: number): number {
  const [first, next] = [off(at), off(at + 1)];
  if (Number.isNaN(first) || Number.isNaN(next) || next <= first) return 0;
  return Math.min(1, Math.max(0, 1 - Math.max(0, first) / next));
}

/** How far the steps before one are off, in the middle; nothing where hardly any is known. */
function levelOf(off: Off, end: number, length: number): number {
  const known: number[] = [];
  for (let at = Math.max(0, end - length); at < end; at++) if (!Number.isNaN(off(at))) known.push(off(at));
  return known.length < length / 3 ? 0 : median(known);
}
