import type { Regular } from '../series/normal.js';
import { median } from '../statistics/median.js';
import type { Deviation } from './deviation.js';

/** Steps that a focus is looked at in. */
const BINS = 36;
/** Times as many as usual, and standard deviations of chance (Poisson) above it, that are no chance. */
const TIMES = 3;
const SPREADS = 3;
/** Of what has not come for a day yet nobody knows at which times of the day it comes: it has to be so many times as many. */
const YOUNG = 2;
/** Lines of a focus below which they are no series: single lines stand in Patterns. */
const ENOUGH = 15;
/** Stretches of the past with half as many lines beyond what is usual that make it a habit. */
const HABIT = 3;
/** Lines in a step that are hardly any; then single ones are looked for in so many steps before it. */
const SELDOM = 0.1;
const BACK = 6;
const DAY = 86_400;
/** Seconds within which the time of a first line tells when it began: as far as clocks and senders' buffers are off. */
const FIRST_LINE = 10;
/** Lines that tell when something began that is told of by lines. */
export const FIRST_LINES = 3;
const MINUTE = 60;

/**
 * When something began that brings lines: no sooner before the first of them than the next ones took to follow it, as
 * far as they come by chance (Poisson).
 *
 * @param times seconds since 1970 of its first lines
 */
export function beganByLines(times: readonly number[]): { onset: number; within: number } {
  const [first] = times;
  const gap = times.length > 1 ? (times.at(-1)! - first!) / (times.length - 1) : MINUTE;
  return { onset: first!, within: Math.min(MINUTE, Math.max(FIRST_LINE, gap)) };
}

/**
 * How the lines of a pattern came up in a focus: more often than in the time before it and than at this time on
 * other days, in at least three steps. It begins at the first of two steps running; the first line of one that
 * was never seen before is its onset. What came like this at three other times, or a day or a week before at this
 * time, is a habit.
 *
 * @param counts lines in each step, the past up to the end of the focus
 * @param firstSeen seconds since 1970, where it was never seen before the focus
 */
export function rateDeviation(
  { from, step, values }: Regular,
  focus: { from: number; to: number },
  firstSeen?: number,
): Deviation | undefined {
  const first = Math.max(0, Math.round((focus.from - from) / step));
  const end = Math.min(values.length, Math.round((focus.to - from) / step));
  const length = end - first;
  const sumOf = (at: number, to: number): number => {
    let sum = 0;
    for (let one = Math.max(0, at); one < Math.min(values.length, to); one++) sum += values[one]!;
    return sum;
  };
  const all = sumOf(first, end);
  if (length < 1 || all < ENOUGH) return undefined;
  const width = Math.max(1, Math.ceil(length / BINS));
  // What is usual: what just came before, and what comes at this time of day.
  const perDay = Math.round(DAY / step);
  const others: number[] = [];
  for (let at = first - perDay; at >= 0; at -= perDay) others.push(sumOf(at, at + length) / length);
  const before = first === 0 ? 0 : sumOf(first - length, first) / Math.min(first, length);
  const usual = Math.max(before, others.length === 0 ? 0 : median(others)) * width;
  const known = values.findIndex((value) => value > 0);
  const young = known < first && first - known < perDay;
  const limit = Math.max((young ? YOUNG * TIMES : TIMES) * usual, usual + SPREADS * Math.sqrt(usual), 1);
  const outside: number[] = [];
  for (let bin = 0; first + bin * width < end; bin++)
    if (sumOf(first + bin * width, Math.min(end, first + (bin + 1) * width)) > limit) outside.push(bin);
  // A single step before it is not yet it.
  const burst = outside.find((bin) => outside.includes(bin + 1));
  if (burst === undefined || outside.length < 3) return undefined;
  const began = usual < SELDOM ? withSingles(burst) : burst;
  const start = first + began * width;
  const last = Math.min(end, first + (outside.at(-1)! + 1) * width);
  const came = sumOf(start, last);
  const stretch = last - start;
  if (isHabit()) return undefined;
  const level = came / Math.max(1, stretch / width);
  const perMinute = 60 / (step * width);
  // Within the bin, the first step with more than is usual.
  let onset = start;
  while (onset < start + width - 1 && values[onset]! <= (2 * usual) / width) onset++;
  const isNew = firstSeen !== undefined && firstSeen >= from + start * step - step;
  return {
    side: 'above',
    within: isNew ? FIRST_LINE : step,
    onset: isNew ? firstSeen : from + (onset + lateBy(values[onset]!, values[onset + 1] ?? 0)) * step,
    end: from + last * step,
    goesOn: last >= end - 2 * width,
    value: level * perMinute,
    usual: usual * perMinute,
    spreads: (level - usual) / Math.sqrt(usual + 1),
  };

  /** Of what hardly ever comes, single lines shortly before belong to it. */
  function withSingles(burst: number): number {
    const hasLine = (bin: number): boolean =>
      bin >= Math.max(0, burst - BACK) && sumOf(first + bin * width, first + (bin + 1) * width) > 0;
    let from = burst;
    for (let before: number | undefined = from; before !== undefined;) {
      from = before;
      before = [from - 1, from - 2].find(hasLine);
    }
    return from;
  }

  /** A step in which it began tells by how few lines it has, against the next, how late in it that was. */
  function lateBy(own: number, next: number): number {
    return next > own ? 1 - own / next : 0;
  }

  function isHabit(): boolean {
    const beyond = (at: number, to: number): number => sumOf(at, to) - (usual / width) * (to - at);
    const half = beyond(start, last) / 2;
    let alike = 0;
    for (let at = start - stretch; at + stretch > 0; at -= stretch)
      if (beyond(at, at + stretch) >= half && at + stretch <= first && ++alike >= HABIT) return true;
    const around = Math.max(stretch, Math.round(1800 / step));
    return [perDay, 7 * perDay].some(
      (ago) => start - ago - around >= 0 && beyond(start - ago - around, last - ago + around) >= half,
    );
  }
}
