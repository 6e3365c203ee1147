import type { Request } from '../requests/entries.js';
import { quantiles } from '../requests/tally.js';
import type { Window } from '../query/window.js';
import { median } from '../statistics/median.js';
import { NORMAL_SPREADS, normalRange } from '../series/normal.js';

/** A figure over the focus, judged by what is normal there. */
export interface Figure {
  /** Mean over the focus; NaN where nothing was measured. */
  value: number;
  /** What is normal in its place: the mean of what is expected; NaN where too little is known. */
  usual: number;
  /** `above` or `below` where it left what is normal for a good part of the focus. */
  verdict: 'above' | 'below' | 'as usual' | 'unknown';
  /** Seconds since 1970 of the first step, and of each. */
  from: number;
  step: number;
  /** Over the focus and as long before it, step by step, with what is normal there. */
  values: number[];
  low: number[];
  high: number[];
  /** The stretch outside what is normal that goes on at the end of the focus, or was the longest in it. */
  stretch?: Stretch;
}

/** Where a figure was outside what is normal: its start in seconds since 1970, its mean there and what is usual. */
export interface Stretch {
  from: number;
  value: number;
  usual: number;
}

/** Part of the focus that has to lie outside what is normal, on one side, before a word is said. */
const SUSTAINED = 0.3;

/**
 * Judges a series over a focus by what was normal before it.
 *
 * @param series the past up to the end of the focus, in equal steps; NaN where nothing was measured
 */
export function figureOf(
  { from, step, values }: { from: number; step: number; values: readonly number[] },
  focus: { from: number; to: number },
): Figure {
  const first = Math.max(0, Math.round((focus.from - from) / step));
  const end = Math.min(values.length, Math.round((focus.to - from) / step));
  const shownFrom = Math.max(0, 2 * first - end);
  const normal = normalRange({ from, step, values: values.slice(0, first) });
  const ranges = values.slice(shownFrom, end).map((_, at) => normal?.at(from + (shownFrom + at) * step));
  const own = values.slice(first, end);
  const inFocus = ranges.slice(first - shownFrom);
  const known = own.filter((value) => !Number.isNaN(value)).length;
  const sides = (['above', 'below'] as const).flatMap((side) => {
    const outside = own.map((value, at) => {
      const range = inFocus[at];
      return range !== undefined && (side === 'above' ? value > range.high : value < range.low);
    });
    const steps = outside.filter(Boolean).length;
    return steps < Math.max(1, SUSTAINED * known) ? [] : [{ side, steps, run: longestRun(outside)! }];
  });
  // Of a focus that is outside on both sides the side counts that it ends on, else the one it is longer on.
  sides.sort(
    (a, b) => Number(b.run.end === own.length) - Number(a.run.end === own.length) || b.steps - a.steps,
  );
  const [told] = sides;
  const verdict =
    !normal || known === 0
      ? 'unknown'
      : (told?.side ??
        stretchVerdict({ from, step, values }, first, end, (moment) => normal.at(moment).expected));
  const expected = inFocus.map((range) => range?.expected ?? NaN);
  return {
    value: mean(own),
    usual: mean(expected),
    verdict,
    from: from + shownFrom * step,
    step,
    values: values.slice(shownFrom, end),
    low: ranges.map((range) => range?.low ?? NaN),
    high: ranges.map((range) => range?.high ?? NaN),
    // Of a stretch that is off only as a whole no moment can be told.
    ...(told && {
      stretch: {
        from: from + (first + told.run.from) * step,
        value: mean(own.slice(told.run.from, told.run.end)),
        usual: mean(expected.slice(told.run.from, told.run.end)),
      },
    }),
  };
}

/** Mean of what is known. */
function mean(numbers: readonly number[]): number {
  const known = numbers.filter((number) => !Number.isNaN(number));
  return known.length === 0 ? NaN : known.reduce((sum, number) => sum + number, 0) / known.length;
}

/** A stretch that is off by less than this part of what is expected is not worth a word. */
const PART = 0.1;
/** Of fewer stretches nothing is said of how far they usually are off. */
const STRETCHES = 12;

/**
 * Whether a stretch as a whole is off by more than stretches of its length usually are: a figure that stays low
 * within what is normal for each step alone is no chance. Told by the median of what its steps are off, which a
 * blip does not move, against the robust spread (median absolute deviation) of the same of all earlier stretches.
 */
function stretchVerdict(
  { from, step, values }: { from: number; step: number; values: readonly number[] },
  first: number,
  end: number,
  expectedAt: (moment: number) => number,
): 'above' | 'below' | 'as usual' {
  const length = end - first;
  const offBy = (start: number): { off: number; expected: number } => {
    const off: number[] = [];
    let expected = 0;
    for (let at = start; at < start + length; at++) {
      if (Number.isNaN(values[at]!)) continue;
      const usual = expectedAt(from + at * step);
      off.push(values[at]! - usual);
      expected += usual;
    }
    return { expected: expected / off.length, off: median(off) };
  };
  const before: number[] = [];
  for (let start = first - length; start >= 0; start -= length) {
    const { off } = offBy(start);
    if (!Number.isNaN(off)) before.push(off);
  }
  if (before.length < STRETCHES) return 'as usual';
  const middle = median(before);
  const spread = 1.4826 * median(before.map((off) => Math.abs(off - middle)));
  const { off, expected } = offBy(first);
  if (Math.abs(off - middle) <= Math.max(NORMAL_SPREADS * spread, PART * Math.abs(expected)))
    return 'as usual';
  return off > middle ? 'above' : 'below';
}

/** The longest run of steps outside, its end not in it; one step back inside does not end it. */
function longestRun(outside: readonly boolean[]): { from: number; end: number } | undefined {
  let best: { from: number; end: number } | undefined;
  for (let at = 0; at < outside.length; at++) {
    if (!outside[at]) continue;
    let end = at + 1;
    while (end < outside.length && (outside[end]! || (outside[end + 1] ?? false))) end++;
    if (!best || end - at > best.end - best.from) best = { from: at, end };
    at = end - 1;
  }
  return best;
}

/** Requests by equal steps of time. */
export interface RequestSeries {
  /** Seconds since 1970, and of a step. */
  from: number;
  step: number;
  /** A minute. */
  rate: number[];
  failedShare: number[];
  /** Seconds: half, and 95%, are under this. */
  p50: number[];
  p95: number[];
}

/** Figures of requests step by step; requests are in the order of time. */
export function requestSeries(
  requests: readonly Request[],
  window: Window,
  stepSeconds: number,
): RequestSeries {
  const step = stepSeconds * 1e6;
  const from = Math.floor(window.from / step) * step;
  const count = Math.max(0, Math.ceil((window.to - from) / step));
  const series: RequestSeries = {
    from: from / 1e6,
    step: stepSeconds,
    rate: [],
    failedShare: [],
    p50: [],
    p95: [],
  };
  let next = 0;
  while (next < requests.length && requests[next]!.at < from) next++;
  for (let at = 0; at < count; at++) {
    const first = next;
    while (next < requests.length && requests[next]!.at < from + (at + 1) * step) next++;
    const own = requests.slice(first, next);
    let all = 0;
    let failed = 0;
    for (const { weight, outcome } of own) {
      all += weight;
      if (outcome === 'failed') failed += weight;
    }
    const [p50, p95] = quantiles(own, [0.5, 0.95]);
    series.rate.push((all * 60) / stepSeconds);
    series.failedShare.push(all === 0 ? NaN : failed / all);
    series.p50.push(p50!);
    series.p95.push(p95!);
  }
  return series;
}

/** Requests and failures of an hour, those that read and those that write apart. */
export interface Hour {
  /** Microseconds since 1970. */
  from: number;
  all: number;
  failed: number;
  read: { all: number; failed: number };
  write: { all: number; failed: number };
}

const HOUR = 3_600_000_000;

/** The hours up to a moment, the earliest first. */
export function hoursOf(requests: readonly Request[], until: number, hours: number): Hour[] {
  const from = until - hours * HOUR;
  const found = Array.from({ length: hours }, (_, at): Hour => ({
    from: from + at * HOUR,
    all: 0,
    failed: 0,
    read: { all: 0, failed: 0 },
    write: { all: 0, failed: 0 },
  }));
  for (const { at, weight, outcome, access } of requests) {
    const hour = found[Math.floor((at - from) / HOUR)];
    if (!hour) continue;
    const parts = access === 'unknown' ? [hour] : [hour, hour[access]];
    for (const part of parts) {
      part.all += weight;
      if (outcome === 'failed') part.failed += weight;
    }
  }
  return found;
}

/**
 * Since when more than a tolerance fails: the beginning of the stretch of minutes, around the worst of a window,
 * in which more failed than that. Gaps of two minutes do not end it, nor, where few fail, such as three failures
 * are usually apart. Undefined where no five minutes are above.
 */
export function failingSince(
  requests: readonly Request[],
  window: Window,
  tolerance: number,
): { from: number; to: number } | undefined {
  const minute = 60_000_000;
  const count = Math.ceil((window.to - window.from) / minute);
  const all = new Float64Array(count);
  const failed = new Float64Array(count);
  for (const { at, weight, outcome } of requests) {
    const index = Math.floor((at - window.from) / minute);
    if (index < 0 || index >= count) continue;
    all[index]! += weight;
    if (outcome === 'failed') failed[index]! += weight;
  }
  const share = (from: number, to: number): number => {
    let [sum, bad] = [0, 0];
    for (let at = Math.max(0, from); at < Math.min(count, to); at++) {
      sum += all[at]!;
      bad += failed[at]!;
    }
    return sum === 0 ? 0 : bad / sum;
  };
  let worst = -1;
  for (let at = 0; at < count; at++)
    if (share(at, at + 5) > tolerance && (worst < 0 || share(at, at + 5) > share(worst, worst + 5)))
      worst = at;
  if (worst < 0) return undefined;
  const bad = (at: number): boolean => all[at]! > 0 && failed[at]! / all[at]! > tolerance;
  let bads = 0;
  for (let at = 0; at < count; at++) if (bad(at)) bads++;
  const gap = Math.min(LONGEST_GAP, Math.max(3, Math.ceil((3 * count) / Math.max(1, bads))));
  let [from, to] = [-1, -1];
  for (let at = worst + 4; at >= 0 && (from < 0 || from - at <= gap); at--)
    if (at < count && bad(at)) from = at;
  if (from < 0) return undefined;
  to = from + 1;
  for (let at = from; at < count && at - to < gap; at++) if (bad(at)) to = at + 1;
  return { from: window.from + from * minute, to: Math.min(window.to, window.from + to * minute) };
}

/** Minutes without a failure that end a stretch in any case. */
const LONGEST_GAP = 15;

/** What became of failing requests: sent again by the same client and answered, or not seen again. */
export interface Retried {
  failed: number;
  again: number;
  /** Of those sent again, how many went well at last. */
  recovered: number;
}

/** How soon a request that comes again is taken for another try, microseconds. */
const AGAIN = 120_000_000;

/**
 * Of the failing requests that name their client, how many were sent again: the same operation for the same
 * client (and whatever else the key holds) within two minutes. Where only some requests are kept it is at least
 * so many.
 */
export function retriedOf(requests: readonly (Request & { key: string })[]): Retried {
  const byKey = new Map<string, Request[]>();
  for (const request of requests) {
    if (request.key === '') continue;
    const own = byKey.get(request.key);
    if (own) own.push(request);
    else byKey.set(request.key, [request]);
  }
  const sum: Retried = { failed: 0, again: 0, recovered: 0 };
  for (const own of byKey.values())
    own.forEach((request, at) => {
      if (request.outcome !== 'failed') return;
      sum.failed++;
      const later = own.slice(at + 1).filter((one) => one.at - request.at <= AGAIN);
      if (later.length > 0) sum.again++;
      if (later.some(({ outcome }) => outcome !== 'failed')) sum.recovered++;
    });
  return sum;
}
