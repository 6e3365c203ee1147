import { shareInterval } from '../statistics/proportions.js';
import type { Request } from './entries.js';

/** How many of the requests with one value of a field went wrong. */
export interface ValueTally {
  value: string;
  all: number;
  wrong: number;
}

/**
 * Requests by the values of a field, those of which most went wrong for sure first: in the order of the lower end of
 * the interval of that share, so that one of one does not stand before ninety of a hundred.
 */
export function tallyByField(
  requests: readonly Request[],
  valuesOf: (request: Request) => Iterable<string>,
  isWrong: (request: Request) => boolean,
): ValueTally[] {
  const tallies = new Map<string, ValueTally>();
  for (const request of requests)
    for (const value of new Set(valuesOf(request))) {
      let tally = tallies.get(value);
      if (!tally) tallies.set(value, (tally = { value, all: 0, wrong: 0 }));
      tally.all += request.weight;
      if (isWrong(request)) tally.wrong += request.weight;
    }
  return worstFirst([...tallies.values()]);
}

/** Tallies in the order of what went wrong for sure. */
export const worstFirst = <T extends Omit<ValueTally, 'value'>>(tallies: readonly T[]): T[] => {
  const least = ({ wrong, all }: Omit<ValueTally, 'value'>): number => shareInterval(wrong, all)[0];
  return [...tallies].sort((a, b) => least(b) - least(a) || b.all - a.all);
};
