import { DAY, HOUR } from '../world/clock.js';

/** A stretch of time, in milliseconds since 1970; its end is not in it. */
export interface Stretch {
  from: number;
  to: number;
}

/**
 * What is looked at first is sent first: the last hour, what is before it, the rest of the last day, the day before,
 * which is what a day is compared with, then all else.
 */
const NEWEST = [HOUR, 3 * HOUR, DAY, 2 * DAY];

/** The same times as few stretches, in their order. */
export function joined(stretches: readonly Stretch[]): Stretch[] {
  const all: Stretch[] = [];
  for (const { from, to } of [...stretches].sort((a, b) => a.from - b.from)) {
    const last = all.at(-1);
    if (last && from <= last.to) last.to = Math.max(last.to, to);
    else if (from < to) all.push({ from, to });
  }
  return all;
}

/** What is left of a stretch without others. */
function without({ from, to }: Stretch, others: readonly Stretch[]): Stretch[] {
  const left: Stretch[] = [];
  let at = from;
  for (const other of joined(others)) {
    if (other.to <= at || other.from >= to) continue;
    if (other.from > at) left.push({ from: at, to: other.from });
    at = other.to;
  }
  if (at < to) left.push({ from: at, to });
  return left;
}

/**
 * What of a time is still to be sent, in the order in which it is sent. It is cut by the anchor, not by where it
 * ends: a start that goes on with it later cuts it at the same moments.
 */
export function toSend({ from, to }: Stretch, anchor: number, sent: readonly Stretch[]): Stretch[] {
  const cuts = [anchor, ...NEWEST.map((length) => anchor - length)].filter((cut) => cut > from && cut < to);
  const ends = [to, ...cuts];
  return [...cuts, from].flatMap((start, at) => without({ from: start, to: ends[at]! }, sent));
}
