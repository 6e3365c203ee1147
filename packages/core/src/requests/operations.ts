import { differenceP } from '../statistics/significance.js';
import type { Request } from './entries.js';
import { operationOf, quantiles } from './tally.js';

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
  const sum = (outcome?: Request['outcome']): number =>
    requests.reduce((all, request) => all + (outcome && request.outcome !== outcome ? 0 : request.weight), 0);
  const [p50, p95, p99, longest] = quantiles(requests, [0.5, 0.95, 0.99, 1]);
  return {
    kept: requests.length,
    requests: sum(),
    failed: sum('failed'),
    refused: sum('refused'),
    p50: p50!,
    p95: p95!,
    p99: p99!,
    longest: longest!,
  };
}

const CHANCE = 0.001;

/** Operations with their figures in both windows: those with most failures beyond the usual first, then the busiest. */
export function operationsOf(focus: readonly Request[], baseline: readonly Request[]): OperationRow[] {
  const groups = new Map<string, { service: string; name: string; focus: Request[]; baseline: Request[] }>();
  const add = (request: Request, where: 'focus' | 'baseline'): void => {
    const key = operationOf(request);
    let group = groups.get(key);
    const { service, name } = request;
    if (!group) groups.set(key, (group = { service, name, focus: [], baseline: [] }));
    group[where].push(request);
  };
  for (const request of focus) add(request, 'focus');
  for (const request of baseline) add(request, 'baseline');
  return [...groups.values()]
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
