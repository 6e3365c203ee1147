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

/** Runs before it that tell what is usual, and after it. */
const LEAST = 8;
/** Twice the logarithm of the likelihood ratio that is no chance, the place being chosen (p about 0.1%). */
const CERTAIN = 16;

/**
 * When the share of runs that go wrong rose: the place in their order at which two shares explain them best (the
 * likelihood of a change-point in a series of yes and no; Hinkley, Biometrika 1970), where they explain them so much
 * better than one that it is no chance. Runs that have not ended, or were stopped, say nothing.
 *
 * @returns undefined where nothing rose, or too few runs are known from before
 */
export function wrongSince(runs: readonly Run[]): WrongSince | undefined {
  const ended = runs
    .filter(({ state }) => isFinal(state) && state !== 'stopped')
    .sort((a, b) => a.from - b.from);
  const wrong = ended.map(({ state }) => wentWrong(state));
  const all = wrong.filter(Boolean).length;
  let best = { at: -1, gain: -Infinity, before: 0 };
  let before = 0;
  for (let at = 1; at < ended.length; at++) {
    if (wrong[at - 1]) before++;
    if (at < LEAST || ended.length - at < LEAST) continue;
    const after = all - before;
    if (after / (ended.length - at) <= before / at) continue;
    const gain =
      2 * (likelihood(before, at) + likelihood(after, ended.length - at) - likelihood(all, ended.length));
    if (gain > best.gain) best = { at, gain, before };
  }
  if (best.gain < CERTAIN) return undefined;
  const first = wrong.indexOf(true, best.at);
  return {
    at: ended[first]!.from,
    before: { wrong: best.before, all: best.at },
    since: { wrong: all - best.before, all: ended.length - best.at },
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

/** Logarithm of the likelihood of so many of all, by their own share. */
function likelihood(some: number, all: number): number {
  const part = (count: number): number => (count === 0 ? 0 : count * Math.log(count / all));
  return part(some) + part(all - some);
}
