import { boundsOf, COLUMN_OF, type SeriesKind, type SeriesPoints } from './series.js';

/** Equal steps of time. */
export interface Steps {
  /** Microseconds since 1970. */
  from: number;
  width: number;
  count: number;
}

/** What a series did in each step; NaN (or a count of 0) where there is no point: gaps stay gaps. */
export interface Stepped {
  /** Numbers that were measured. */
  count: Float64Array;
  sum: Float64Array;
  min: Float64Array;
  max: Float64Array;
  /** The last number of each step. */
  last: Float64Array;
  /** For histograms: how many values lie in each bucket (by its column), step by step. */
  buckets?: Map<string, Float64Array>;
}

export function emptySteps({ count }: Steps): Stepped {
  return {
    count: new Float64Array(count),
    sum: new Float64Array(count),
    min: new Float64Array(count).fill(NaN),
    max: new Float64Array(count).fill(NaN),
    last: new Float64Array(count).fill(NaN),
  };
}

/** A measurement tells of the time up to it: one made just when a step ends is of that step. */
const stepAt = ({ from, width }: Steps, time: number): number => Math.ceil((time - from) / width) - 1;

/** The points of a series by step: of gauges the numbers, of sums by how much they grew, of histograms what they counted. */
export function stepsOf(
  points: SeriesPoints,
  { kind, total }: { kind: SeriesKind; total: boolean },
  steps: Steps,
): Stepped {
  const result = emptySteps(steps);
  switch (kind) {
    case 'gauge':
      addNumbers(result, points.times, points.columns.get(COLUMN_OF.value), steps);
      break;
    case 'sum': {
      const numbers = points.columns.get(COLUMN_OF.value);
      addCounted(result, points.times, numbers && total ? increases(numbers) : numbers, total, steps);
      break;
    }
    case 'histogram':
      addHistogram(result, points, total, steps);
  }
  return result;
}

function addNumbers(
  result: Stepped,
  times: Float64Array,
  numbers: Float64Array | undefined,
  steps: Steps,
): void {
  if (!numbers) return;
  for (let at = 0; at < times.length; at++) {
    const number = numbers[at]!;
    const step = stepAt(steps, times[at]!);
    if (step < 0 || step >= steps.count || Number.isNaN(number)) continue;
    result.count[step]!++;
    result.sum[step]! += number;
    if (!(result.min[step]! <= number)) result.min[step] = number;
    if (!(result.max[step]! >= number)) result.max[step] = number;
    result.last[step] = number;
  }
  // What is measured less often than once a step is what the steps without a number of their own were, too.
  for (let at = 0; at < times.length; at++) {
    const number = numbers[at]!;
    const interval = intervalAt(times, at, steps.width);
    if (interval === 0 || Number.isNaN(number)) continue;
    spreadOver(steps, times[at]!, interval, (step) => {
      if (result.count[step]! > 0) return;
      result.count[step] = 1;
      result.sum[step] = result.min[step] = result.max[step] = result.last[step] = number;
    });
  }
}

/** Gaps near a point that tell whether it is measured at equal intervals, and how equal they have to be. */
const GAPS = 3;
const EQUAL = 0.1;

/**
 * Microseconds that what was counted at a point was counted in, where that is more than a step: the time since the
 * point before it, if it is measured at equal intervals. What comes only now and then is of its own step, but for
 * totals: whatever a total grew by, it grew since the point before.
 */
function intervalAt(times: Float64Array, at: number, width: number, total = false): number {
  const gap = at > 0 ? times[at]! - times[at - 1]! : 0;
  if (total) return gap > width ? gap : 0;
  if (gap <= width * (1 + EQUAL)) return 0;
  const alike = (other: number): boolean => Math.abs(times[other]! - times[other - 1]! - gap) <= EQUAL * gap;
  let known = 0;
  while (known < GAPS && at - known > 1 && alike(at - known - 1)) known++;
  // Of the first points, those after them tell.
  if (known < GAPS && at - known > 1) return 0;
  for (let next = at + 1; known < GAPS; known++, next++) if (next >= times.length || !alike(next)) return 0;
  return gap;
}

/** Puts a number that was counted over an interval into the steps that it reaches, by how much of it lies in each. */
function spreadOver(
  steps: Steps,
  time: number,
  interval: number,
  put: (step: number, part: number) => void,
): void {
  for (let step = stepAt(steps, time); step >= 0; step--) {
    const start = steps.from + step * steps.width;
    const part = (Math.min(time, start + steps.width) - Math.max(time - interval, start)) / interval;
    if (part <= 0) break;
    if (step < steps.count) put(step, part);
  }
}

/** Of points that count something: the step of each, and what it was counted over where that is more than a step. */
interface Places {
  times: Float64Array;
  steps: Int32Array;
  intervals: Float64Array;
}

function placesOf(times: Float64Array, total: boolean, steps: Steps): Places {
  const [own, intervals] = [new Int32Array(times.length), new Float64Array(times.length)];
  for (let at = 0; at < times.length; at++) {
    const step = stepAt(steps, times[at]!);
    own[at] = step < steps.count ? step : -1;
    intervals[at] = intervalAt(times, at, steps.width, total);
  }
  return { times, steps: own, intervals };
}

/** Puts what was counted at a point where it belongs: nearly always into one step. */
function putAt(
  { times, steps: own, intervals }: Places,
  at: number,
  steps: Steps,
  put: (step: number, part: number) => void,
): void {
  if (intervals[at]! > 0) spreadOver(steps, times[at]!, intervals[at]!, put);
  else if (own[at]! >= 0) put(own[at]!, 1);
}

function addCounted(
  result: Stepped,
  times: Float64Array,
  numbers: Float64Array | undefined,
  total: boolean,
  steps: Steps,
): void {
  if (!numbers) return;
  const places = placesOf(times, total, steps);
  for (let at = 0; at < times.length; at++) {
    const number = numbers[at]!;
    if (Number.isNaN(number)) continue;
    putAt(places, at, steps, (step, part) => {
      result.count[step]!++;
      result.sum[step]! += number * part;
      if (!(result.min[step]! <= number * part)) result.min[step] = number * part;
      if (!(result.max[step]! >= number * part)) result.max[step] = number * part;
      result.last[step] = number * part;
    });
  }
}

/**
 * By how much a total grew since the point before. A total that fell began anew: all it has counted since
 * then is new. Of the first point nothing is known.
 */
export function increases(totals: Float64Array): Float64Array {
  const grown = new Float64Array(totals.length).fill(NaN);
  let before = NaN;
  for (let at = 0; at < totals.length; at++) {
    const now = totals[at]!;
    if (Number.isNaN(now)) continue;
    if (!Number.isNaN(before)) grown[at] = now >= before ? now - before : now;
    before = now;
  }
  return grown;
}

function addHistogram(result: Stepped, { times, columns }: SeriesPoints, total: boolean, steps: Steps): void {
  const counts = columns.get(COLUMN_OF.count);
  if (!counts) return;
  const sums = columns.get(COLUMN_OF.sum);
  const restarted = total
    ? counts.map((count, at) => (at > 0 && count < counts[at - 1]! ? 1 : 0))
    : undefined;
  // All columns of a total begin anew with its count.
  const own = (numbers: Float64Array, absent: number): Float64Array =>
    restarted
      ? numbers.map((number, at) => {
          if (at === 0) return NaN;
          const before = restarted[at] === 1 ? 0 : numbers[at - 1]!;
          return (Number.isNaN(number) ? absent : number) - (Number.isNaN(before) ? absent : before);
        })
      : numbers;
  const grown = own(counts, NaN);
  const grownSums = sums && own(sums, NaN);
  const least = columns.get(COLUMN_OF.min);
  const most = columns.get(COLUMN_OF.max);
  const places = placesOf(times, total, steps);
  for (let at = 0; at < times.length; at++) {
    if (Number.isNaN(grown[at]!)) continue;
    putAt(places, at, steps, (step, part) => {
      result.count[step]! += grown[at]! * part;
      if (grownSums && !Number.isNaN(grownSums[at]!)) result.sum[step]! += grownSums[at]! * part;
      // Extremes of a total are those since its start, not of the step.
      if (!total && least && !(result.min[step]! <= least[at]!) && !Number.isNaN(least[at]!))
        result.min[step] = least[at]!;
      if (!total && most && !(result.max[step]! >= most[at]!) && !Number.isNaN(most[at]!))
        result.max[step] = most[at]!;
    });
  }
  const buckets = (result.buckets ??= new Map<string, Float64Array>());
  for (const [name, numbers] of columns) {
    if (!boundsOf(name)) continue;
    const inBucket = own(numbers, 0);
    const perStep = buckets.get(name) ?? new Float64Array(steps.count);
    for (let at = 0; at < times.length; at++) {
      const count = inBucket[at]!;
      if (count > 0 && places.intervals[at] === 0 && places.steps[at]! >= 0)
        perStep[places.steps[at]!]! += count;
      else if (count > 0)
        putAt(places, at, steps, (step, part) => {
          perStep[step]! += count * part;
        });
    }
    buckets.set(name, perStep);
  }
}

/** Puts what several series did together. */
export function addSteps(sum: Stepped, part: Stepped): void {
  for (let step = 0; step < sum.count.length; step++) {
    if (part.count[step] === 0) continue;
    sum.count[step]! += part.count[step]!;
    sum.sum[step]! += part.sum[step]!;
    if (!(sum.min[step]! <= part.min[step]!)) sum.min[step] = part.min[step]!;
    if (!(sum.max[step]! >= part.max[step]!)) sum.max[step] = part.max[step]!;
    // The last numbers of the members of a group make their sum.
    const last = part.last[step]!;
    if (!Number.isNaN(last)) sum.last[step] = (Number.isNaN(sum.last[step]!) ? 0 : sum.last[step]!) + last;
  }
  if (!part.buckets) return;
  sum.buckets ??= new Map<string, Float64Array>();
  for (const [name, numbers] of part.buckets) {
    const known = sum.buckets.get(name);
    if (known) for (let step = 0; step < numbers.length; step++) known[step]! += numbers[step]!;
    else sum.buckets.set(name, Float64Array.from(numbers));
  }
}

/** Puts what a series did to what others did: what histograms counted goes right where it is added up. */
export function addPoints(
  sum: Stepped,
  points: SeriesPoints,
  { kind, total }: { kind: SeriesKind; total: boolean },
  steps: Steps,
): void {
  if (kind === 'histogram') addHistogram(sum, points, total, steps);
  else addSteps(sum, stepsOf(points, { kind, total }, steps));
}

export type Aggregate = 'avg' | 'min' | 'max' | 'sum' | 'rate' | 'count' | { percentile: number };

/** One number for each step, NaN where there is none. */
export function aggregate(
  stepped: Stepped,
  how: Aggregate,
  { kind }: { kind: SeriesKind },
  { width }: Steps,
): Float64Array {
  const { count, sum, min, max, last } = stepped;
  if (typeof how === 'object') return percentiles(stepped, how.percentile);
  const seconds = width / 1e6;
  const each: Record<Exclude<Aggregate, object>, (step: number) => number> = {
    avg: (step) => sum[step]! / count[step]!,
    min: (step) => min[step]!,
    max: (step) => max[step]!,
    // A level is not added up over time, only over the members of a group.
    sum: (step) => (kind === 'gauge' ? last[step]! : sum[step]!),
    rate: (step) => (kind === 'histogram' ? count[step]! : sum[step]!) / seconds,
    count: (step) => count[step]!,
  };
  return count.map((own, step) => (own > 0 ? each[how](step) : NaN));
}

/**
 * A percentile of what histograms counted, for each step. Where buckets lie one after the other they are gone
 * through once; those of different bounds (senders may divide as they like) are laid over each other.
 */
function percentiles(stepped: Stepped, percentile: number): Float64Array {
  const buckets = [...(stepped.buckets ?? [])]
    .map(([name, counts]): Bucket => {
      const [low, high] = boundsOf(name)!;
      return { low, high, counts };
    })
    .sort((a, b) => a.low - b.low || a.high - b.high);
  const apart = buckets.every(({ low }, at) => at === 0 || buckets[at - 1]!.high <= low);
  const of = apart ? percentileInOrder : percentileLaidOver;
  return stepped.count.map((own, step) => (own > 0 ? of(stepped, buckets, step, percentile) : NaN));
}

interface Bucket {
  low: number;
  high: number;
  counts: Float64Array;
}

/** Bounds of a bucket in a step: open ends are as wide as is known. */
function boundsIn({ min, max }: Stepped, { low, high }: Bucket, step: number): [from: number, to: number] {
  const from = Number.isFinite(low) ? low : Number.isNaN(min[step]!) ? Math.min(high, 0) : min[step]!;
  const to = Number.isFinite(high) ? high : Number.isNaN(max[step]!) ? Math.max(low, 0) : max[step]!;
  return [from, Math.max(from, to)];
}

/** Within a bucket values are taken to lie evenly. */
function percentileInOrder(
  stepped: Stepped,
  buckets: readonly Bucket[],
  step: number,
  percentile: number,
): number {
  let all = 0;
  for (const { counts } of buckets) if (counts[step]! > 0) all += counts[step]!;
  if (all === 0) return NaN;
  const wanted = (percentile / 100) * all;
  let below = 0;
  let last = NaN;
  for (const bucket of buckets) {
    const count = bucket.counts[step]!;
    if (count <= 0) continue;
    const [from, to] = boundsIn(stepped, bucket, step);
    if (below + count >= wanted) return from + (Math.max(0, wanted - below) / count) * (to - from);
    below += count;
    last = to;
  }
  return last;
}

function percentileLaidOver(
  stepped: Stepped,
  buckets: readonly Bucket[],
  step: number,
  percentile: number,
): number {
  const filled = buckets.flatMap((bucket) => {
    const count = bucket.counts[step]!;
    if (count <= 0) return [];
    const [from, to] = boundsIn(stepped, bucket, step);
    return [{ from, to, count }];
  });
  const all = filled.reduce((total, { count }) => total + count, 0);
  if (all === 0) return NaN;
  const wanted = (percentile / 100) * all;
  const edges = [...new Set(filled.flatMap(({ from, to }) => [from, to]))].sort((a, b) => a - b);
  let below = 0;
  for (let at = 0; at < edges.length; at++) {
    const edge = edges[at]!;
    below += filled.reduce((total, one) => total + (one.from === edge && one.to === edge ? one.count : 0), 0);
    if (below >= wanted) return edge;
    const next = edges[at + 1];
    if (next === undefined) break;
    const between = filled.reduce(
      (total, { from, to, count }) =>
        total + (from <= edge && to >= next && to > from ? (count * (next - edge)) / (to - from) : 0),
      0,
    );
    if (below + between >= wanted && between > 0) return edge + ((wanted - below) / between) * (next - edge);
    below += between;
  }
  return edges.at(-1)!;
}
