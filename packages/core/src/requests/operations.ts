import { differenceP } from '../statistics/significance.js';
import type { Request } from './entries.js';
import { ByOperation } from './by-operation.js';
import { quantiles } from './tally.js';

/** What an operation did in one window. */
export interface OperationFigures {
  kept: number;
  /** Requests, as many as those kept stand for. */
  requests: number;
  failed: number;
  refused: number;
  /** Seconds; NaN without requests. */
  p50: number;
  p95: number;
  p99: number;
  longest: number;
}

export interface OperationRow {
  service: string;
  name: string;
  focus: OperationFigures;
  baseline: OperationFigures;
  /** Whether another share failed than in the baseline, beyond chance. */
  failsOtherwise: boolean;
  /** Failures in the focus beyond what the baseline's share lets expect. */
  excess: number;
}

function figuresOf(requests: readonly Request[]): OperationFigures {
  let [all, failed, refused] = [0, 0, 0];
  for (const { outcome, weight } of requests) {
    all += weight;
    if (outcome === 'failed') failed += weight;
    else if (outcome === 'refused') refused += weight;
  }
  const [p50, p95, p99, longest] = quantiles(requests, [0.5, 0.95, 0.99, 1]);
  return {
    kept: requests.length,
    requests: all,
    failed,
    refused,
    p50: p50!,
    p95: p95!,
    p99: p99!,
    longest: longest!,
  };
}

const CHANCE = 0.001;

/** Operations with their figures in both windows: those with most failures beyond the usual first, then the busiest. */
export function operationsOf(focus: readonly Request[], baseline: readonly Request[]): OperationRow[] {
  const groups = new ByOperation<{
    service: string;
    name: string;
    focus: Request[];
    baseline: Request[];
  }>();
  const groupOf = ({ service, name }: Request) =>
    groups.of({ service, name }, () => ({ service, name, focus: [], baseline: [] }));
  for (const request of focus) groupOf(request).focus.push(request);
  for (const request of baseline) groupOf(request).baseline.push(request);
  return groups
    .values()
    .map((group): OperationRow => {
      const own = figuresOf(group.focus);
      const before = figuresOf(group.baseline);
      const usual = before.requests > 0 ? before.failed / before.requests : 0;
      const p = differenceP(
        Math.round(own.failed),
        Math.round(own.requests),
        Math.round(before.failed),
        Math.round(before.requests),
      );
      return {
        service: group.service,
        name: group.name,
        focus: own,
        baseline: before,
        failsOtherwise: p < CHANCE,
        excess: own.failed - usual * own.requests,
      };
    })
    .sort((a, b) => b.excess - a.excess || b.focus.requests - a.focus.requests);
}
