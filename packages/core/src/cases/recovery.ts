import { shareInterval } from '../statistics/proportions.js';
import { differenceP } from '../statistics/significance.js';

/** How many went wrong of how many, in a step of time. */
export interface StepCount {
  /** Start of the step, seconds since 1970. */
  at: number;
  wrong: number;
  all: number;
}

export interface Recovery {
  state: 'goes on' | 'recovered' | 'too early to say';
  /** Seconds since 1970: since when nothing more than usual went wrong. */
  since?: number;
  /** Share since then, or of the last steps. */
  share: number;
  usual: number;
  /** Chance of a share like this where it is as usual. */
  p: number;
  all: number;
}

/** Steps without more than usual that are no pause. */
const LEAST_STEPS = 5;
/** Items by which a share is told. */
const LEAST_ITEMS = 30;
/** Above this chance all of it together is as usual; of single steps, which are many, above this. */
const AS_USUAL = 0.05;
const STEP_AS_USUAL = 0.01;

/**
 * Whether what went wrong has ended: the longest stretch up to the last step whose share of what goes wrong can not
 * be told from the usual one (p above 5%, exact or by the likelihood ratio), or lies below it, and within which no
 * step by itself is above it (p below 1%). It has to be five steps and thirty items long.
 */
export function recoveryOf(steps: readonly StepCount[], usual: { wrong: number; all: number }): Recovery {
  const usualShare = usual.all === 0 ? 0 : usual.wrong / usual.all;
  const [, high] = shareInterval(usual.wrong, usual.all);
  const normal = (wrong: number, all: number, chance: number): boolean =>
    all === 0 || wrong / all <= high || differenceP(wrong, all, usual.wrong, usual.all) > chance;
  const exceeds = (step: StepCount): boolean => step.all > 0 && step.wrong / step.all > high;
  let first = steps.length;
  let [wrong, all] = [0, 0];
  for (let at = steps.length - 1; at >= 0; at--) {
    const step = steps[at]!;
    if (!normal(step.wrong, step.all, STEP_AS_USUAL)) break;
    if (!normal(wrong + step.wrong, all + step.all, AS_USUAL)) break;
    wrong += step.wrong;
    all += step.all;
    first = at;
  }
  // Together with what came later its first steps may pass for chance; where more than usual went wrong in them, it is not since then.
  for (let step = steps[first]; all > 0 && step && exceeds(step); step = steps[++first]) {
    wrong -= step.wrong;
    all -= step.all;
  }
  const share = all === 0 ? 0 : wrong / all;
  const told = { share, usual: usualShare, p: differenceP(wrong, all, usual.wrong, usual.all), all };
  // Steps without any item say nothing yet.
  const last = steps.filter((step) => step.all > 0).slice(-LEAST_STEPS);
  if (all === 0 && last.length > 0) {
    const [own, of] = [
      last.reduce((sum, one) => sum + one.wrong, 0),
      last.reduce((sum, one) => sum + one.all, 0),
    ];
    return {
      state: 'goes on',
      share: of === 0 ? 0 : own / of,
      usual: usualShare,
      p: differenceP(own, of, usual.wrong, usual.all),
      all: of,
    };
  }
  if (steps.length - first < LEAST_STEPS || all < LEAST_ITEMS) return { state: 'too early to say', ...told };
  return { state: 'recovered', since: steps[first]!.at, ...told };
}
