import { ByOperation } from '../requests/by-operation.js';
import type { Request } from '../requests/entries.js';

/** Place of the first request that began at a moment or later; requests are in the order of time. */
export function firstSince(requests: readonly Pick<Request, 'at'>[], moment: number): number {
  let [low, high] = [0, requests.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (requests[middle]!.at < moment) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Requests and failures of an operation from each of some moments to the end. */
export interface SumsSince {
  service: string;
  name: string;
  all: number[];
  failed: number[];
}

/** Adds up requests from each of some moments (microseconds since 1970) on, looking at each request once. */
export function sumsSince(requests: readonly Request[], moments: readonly number[]): SumsSince[] {
  const starts = moments.map((moment) => firstSince(requests, moment));
  const sums = new ByOperation<SumsSince>();
  // From one start to the next everything counts for the same moments.
  const marks = [...new Set(starts)].sort((a, b) => a - b);
  marks.forEach((mark, at) => {
    const counting = starts.flatMap((start, moment) => (start <= mark ? [moment] : []));
    for (let place = mark; place < (marks[at + 1] ?? requests.length); place++) {
      const { service, name, weight, outcome } = requests[place]!;
      const none = (): number[] => moments.map(() => 0);
      const sum = sums.of({ service, name }, () => ({ service, name, all: none(), failed: none() }));
      for (const moment of counting) {
        sum.all[moment]! += weight;
        if (outcome === 'failed') sum.failed[moment]! += weight;
      }
    }
  });
  return sums.values();
}
