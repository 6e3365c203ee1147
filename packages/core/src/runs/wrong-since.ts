import { shareRise } from '../statistics/share-rise.js';
import { type Run, isFinal } from './run.js';
import { wentWrong } from './tally.js';

/** Runs that went wrong, of how many. */
export interface WrongOf {
  wrong: number;
  all: number;
}

/** When runs of a job began to go wrong more often than before. */
export interface WrongSince {
  /** Beginning of the first run that went wrong then, microseconds since 1970. */
  at: number;
  before: WrongOf;
  since: WrongOf;
}

/**
 * When the share of runs that go wrong rose. Runs that have not ended, or were stopped, say nothing.
 *
 * @returns undefined where nothing rose, or too few runs are known from before
 */
export function wrongSince(runs: readonly Run[]): WrongSince | undefined {
  const ended = runs
    .filter(({ state }) => isFinal(state) && state !== 'stopped')
    .sort((a, b) => a.from - b.from);
  const wrong = ended.map(({ state }) => wentWrong(state));
  const rise = shareRise(wrong);
  if (!rise) return undefined;
  const { at, before, since } = rise;
  return {
    at: ended[wrong.indexOf(true, at)]!.from,
    before: { wrong: before, all: at },
    since: { wrong: since, all: ended.length - at },
  };
}

/** Runs that ended in each of some equal steps of time, and how many of them went wrong. */
export function wrongByStep(
  runs: readonly Run[],
  { from, width, count }: { from: number; width: number; count: number },
): WrongOf[] {
  const steps = Array.from({ length: count }, (): WrongOf => ({ wrong: 0, all: 0 }));
  for (const { state, to } of runs) {
    if (to === undefined || !isFinal(state) || state === 'stopped') continue;
    const step = steps[Math.floor((to - from) / width)];
    if (!step) continue;
    step.all++;
    if (wentWrong(state)) step.wrong++;
  }
  return steps;
}
