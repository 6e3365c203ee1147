import type { Window } from '../query/window.js';
import type { Request } from './entries.js';
import { quantiles } from './tally.js';

/** The durations of the requests that began in one step of time. */
export interface Strip {
  /** Requests, as many as those kept stand for. */
  count: number;
  failed: number;
  /** Seconds: 10th, 50th, 90th and 99th percentile, and the longest; absent without requests. */
  quantiles?: [p10: number, p50: number, p90: number, p99: number, longest: number];
}

const SHARES = [0.1, 0.5, 0.9, 0.99, 1];

/** Durations step by step; requests are in the order of time. */
export function stripsOf(requests: readonly Request[], window: Window, steps: number): Strip[] {
  const width = (window.to - window.from) / steps;
  const strips: Strip[] = [];
  let next = 0;
  for (let step = 0; step < steps; step++) {
    const end = window.from + (step + 1) * width;
    const first = next;
    while (next < requests.length && requests[next]!.at < end) next++;
    const own = requests.slice(first, next);
    const sum = (those: readonly Request[]): number => those.reduce((all, { weight }) => all + weight, 0);
    strips.push({
      count: sum(own),
      failed: sum(own.filter(({ outcome }) => outcome === 'failed')),
      ...(own.length > 0 && { quantiles: quantiles(own, SHARES) as NonNullable<Strip['quantiles']> }),
    });
  }
  return strips;
}
