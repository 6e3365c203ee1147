import type { CohortPreset } from '@flail/contract';
import type { Window } from '@flail/core';
import { isSlow, type Request, slowLimits, type SlowLimits } from '@flail/core/requests';
import { differenceP } from '@flail/core/statistics';
import type { Subject } from '../requests/analysis-tasks.js';
import type { RequestData } from '../requests/request-data.js';

/** A cohort of requests as the thread that looks into them is asked for it: its own scope and window are those of its subject. */
export interface CohortAsked {
  subject: Subject;
  preset: CohortPreset;
  service?: string;
  operation?: string;
  slower?: number;
  faster?: number;
}

/** What went wrong with a cohort. */
export type Wrong = 'failed' | 'refused' | 'hidden' | 'slow';

export interface CohortPair {
  first: Request[];
  second: Request[];
  /** What the first was made by; undefined where it was made by other things. */
  wrong: Wrong | undefined;
  /** Whether no more went wrong than in the baseline, as far as can be told. */
  usual: boolean;
}

/** The requests of two cohorts, none of them in both. */
export async function cohortsOf(
  data: RequestData,
  base: Subject,
  first: CohortAsked,
  second: CohortAsked,
): Promise<CohortPair> {
  const [all, before, others] = await Promise.all([
    chosen(data, first),
    base.baseline ? data.requests(base, base.baseline) : Promise.resolve([]),
    chosen(data, second),
  ]);
  const slow = slowLimits(before.length > 0 ? [...before, ...all] : all);
  const wrong = first.preset === 'wrong' ? mostWrong(all, before, slow) : wrongOf(first.preset);
  const own = all.filter((request) => fits(request, wrong ?? first.preset, slow));
  const taken = new Set(own.map(({ trace }) => trace));
  const operations = new Set(own.map(({ service, name }) => `${service}\n${name}`));
  const rest = others.filter(
    (request) =>
      !taken.has(request.trace) &&
      fits(request, second.preset, slow) &&
      // What is slow is slow for its operation: it is told apart from the same ones that were not.
      (wrong !== 'slow' || (!isSlow(request, slow) && operations.has(`${request.service}\n${request.name}`))),
  );
  // With a filter of its own the first is no part of what is looked at in the baseline.
  const alike = JSON.stringify(first.subject.scope) === JSON.stringify(base.scope);
  const usual = alike && isUsual(own.length, all.length, wrong, narrowed(before, first), slow);
  return { first: own, second: rest, wrong, usual };
}

/** Beyond this chance no more went wrong than usual. */
const CHANCE = 0.01;

function isUsual(
  own: number,
  all: number,
  wrong: Wrong | undefined,
  before: readonly Request[],
  slow: SlowLimits,
): boolean {
  if (wrong === undefined || before.length === 0 || own === 0) return false;
  const usually = before.filter((request) => fits(request, wrong, slow)).length;
  return own / all <= usually / before.length || differenceP(own, all, usually, before.length) > CHANCE;
}

const chosen = async (data: RequestData, asked: CohortAsked): Promise<Request[]> =>
  narrowed(await data.requests(asked.subject, asked.subject.window), asked);

/** Those of the operation and on the side of the lines that a cohort is made by. */
const narrowed = (
  requests: readonly Request[],
  { service, operation, slower = -Infinity, faster = Infinity }: CohortAsked,
): Request[] =>
  requests.filter(
    (request) =>
      (service === undefined || request.service === service) &&
      (operation === undefined || request.name === operation) &&
      request.seconds > slower &&
      request.seconds < faster,
  );

const wrongOf = (preset: CohortPreset): Wrong | undefined =>
  preset === 'failed' || preset === 'refused' || preset === 'hidden' || preset === 'slow'
    ? preset
    : undefined;

function fits(request: Request, preset: CohortPreset, slow: SlowLimits): boolean {
  switch (preset) {
    case 'all':
    case 'wrong':
      return true;
    case 'slow':
      return isSlow(request, slow) && request.outcome !== 'failed';
    default:
      return request.outcome === preset;
  }
}

/** What went wrong furthest beyond how often it does: failing counts for more than being slow. */
function mostWrong(focus: readonly Request[], before: readonly Request[], slow: SlowLimits): Wrong {
  const share = (of: readonly Request[], wrong: Wrong): number => {
    const all = of.reduce((sum, { weight }) => sum + weight, 0);
    const own = of.reduce((sum, request) => sum + (fits(request, wrong, slow) ? request.weight : 0), 0);
    return all === 0 ? 0 : own / all;
  };
  const ranked = (['failed', 'refused', 'hidden', 'slow'] as const)
    .map((wrong) => ({
      wrong,
      share: share(focus, wrong) * WEIGHTS[wrong],
      excess: (share(focus, wrong) - share(before, wrong)) * WEIGHTS[wrong],
    }))
    .sort((a, b) => b.excess - a.excess);
  const [most] = ranked;
  if (most && most.excess > LEAST) return most.wrong;
  // Nothing is beyond what is usual: what there is most of.
  return [...ranked].sort((a, b) => b.share - a.share)[0]!.wrong;
}

const WEIGHTS: Record<Wrong, number> = { failed: 1, refused: 0.8, hidden: 0.5, slow: 0.5 };
const LEAST = 0.001;

/** Evenly picked, so that no time is left out. */
export function thinned<T>(all: readonly T[], most: number): T[] {
  if (all.length <= most) return [...all];
  return Array.from({ length: most }, (_, at) => all[Math.floor((at * all.length) / most)]!);
}

/** The time that two cohorts lie in. */
export const spanOf = (windows: readonly Window[]): Window => ({
  from: Math.min(...windows.map(({ from }) => from)),
  to: Math.max(...windows.map(({ to }) => to)),
});
