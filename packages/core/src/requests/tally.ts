import { ByOperation } from './by-operation.js';
import type { Access, Outcome, Request } from './entries.js';
import { OUTCOMES } from './entries.js';

/** How many requests there were, told from those that are kept. */
export interface Counted {
  /** As many as those kept stand for. */
  count: number;
  /** Half the width of the interval in which the true count lies with 95% (Horvitz and Thompson 1952); 0 where all are kept. */
  within: number;
}

/** What became of requests. */
export interface RequestTally {
  /** Requests that are kept. */
  kept: number;
  all: Counted;
  outcomes: Record<Outcome, Counted>;
  /** Slower than is usual for their operation (see slowLimits). */
  slow: Counted;
  /** Those that read, those that write: how many, and how many failed. */
  access: Record<Access, { all: number; failed: number }>;
}

export function counted(weights: Iterable<number>): Counted {
  const sum = new Weighed();
  for (const weight of weights) sum.add(weight);
  return sum.counted();
}

/** A sum of requests, each of which stands for some. */
class Weighed {
  private count = 0;
  private variance = 0;

  add(weight: number): void {
    this.count += weight;
    this.variance += weight * (weight - 1);
  }

  counted(): Counted {
    return { count: this.count, within: 1.96 * Math.sqrt(this.variance) };
  }
}

/** Counts requests by what became of them. */
export function tallyOf(requests: readonly Request[], slow: SlowLimits): RequestTally {
  const [all, slowOnes] = [new Weighed(), new Weighed()];
  const outcomes: Record<Outcome, Weighed> = {
    ok: new Weighed(),
    refused: new Weighed(),
    failed: new Weighed(),
    hidden: new Weighed(),
  };
  const access: RequestTally['access'] = {
    read: { all: 0, failed: 0 },
    write: { all: 0, failed: 0 },
    unknown: { all: 0, failed: 0 },
  };
  for (const request of requests) {
    const { outcome, weight } = request;
    const how = access[request.access];
    all.add(weight);
    outcomes[outcome].add(weight);
    if (isSlow(request, slow)) slowOnes.add(weight);
    how.all += weight;
    if (outcome === 'failed') how.failed += weight;
  }
  return {
    kept: requests.length,
    all: all.counted(),
    outcomes: Object.fromEntries(OUTCOMES.map((outcome) => [outcome, outcomes[outcome].counted()])) as Record<
      Outcome,
      Counted
    >,
    slow: slowOnes.counted(),
    access,
  };
}

/** Seconds over which a request of an operation is called slow. */
export type SlowLimits = Pick<ByOperation<number>, 'get'>;

/** A request that takes so many times as long as the middle one of its operation is slow. */
export const SLOW_TIMES = 5;

/** Services have no line breaks in their names. */
export const operationOf = ({ service, name }: Pick<Request, 'service' | 'name'>): string =>
  `${service}\n${name}`;

/** What is slow is told from the median of each operation over requests that did not fail. */
export function slowLimits(requests: readonly Request[]): SlowLimits {
  const groups = new ByOperation<Request[]>();
  for (const request of requests)
    if (request.outcome !== 'failed') groups.of(request, () => []).push(request);
  return groups.map((own) => SLOW_TIMES * quantiles(own, [0.5])[0]!);
}

export const isSlow = (request: Request, limits: SlowLimits): boolean =>
  request.seconds > (limits.get(request) ?? Infinity);

/** Weights below this, and durations in microseconds, fit into one number together. */
const WEIGHTS = 4096;

/**
 * Quantiles of durations (shares rise), each request counted for as many as it stands for, to the microsecond; NaN without
 * any. Duration and weight are sorted as one number: twenty times as fast as sorting the requests.
 */
export function quantiles(
  requests: readonly Pick<Request, 'seconds' | 'weight'>[],
  shares: readonly number[],
): number[] {
  const packed = new Float64Array(requests.length);
  let whole = 0;
  for (let at = 0; at < packed.length; at++) {
    const { seconds, weight } = requests[at]!;
    const times = Math.min(WEIGHTS - 1, Math.round(weight));
    packed[at] = Math.round(seconds * 1e6) * WEIGHTS + times;
    whole += times;
  }
  packed.sort();
  const found = new Array<number>(shares.length).fill(NaN);
  let reached = 0;
  let next = 0;
  for (const one of packed) {
    reached += one % WEIGHTS;
    while (next < shares.length && reached >= shares[next]! * whole)
      found[next++] = Math.floor(one / WEIGHTS) / 1e6;
  }
  return found;
}
