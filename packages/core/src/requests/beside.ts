import { differenceP } from '../statistics/significance.js';

/** A stretch of time during which a job ran. */
export interface Ran {
  job: string;
  from: number;
  to: number;
}

/** How often the slow and the other requests of an operation ran beside runs of a job. */
export interface Beside {
  job: string;
  /** Slow requests beside a run of it, and all slow ones. */
  slow: number;
  ofSlow: number;
  others: number;
  ofOthers: number;
  /** Probability of a difference like this by chance. */
  p: number;
}

const CHANCE = 0.001;

/** Jobs beside whose runs requests are slow more often than else, the least likely by chance first. */
export function besideRuns(
  requests: readonly { from: number; to: number; slow: boolean }[],
  runs: readonly Ran[],
): Beside[] {
  const ofSlow = requests.filter(({ slow }) => slow).length;
  const ofOthers = requests.length - ofSlow;
  return [...new Set(runs.map(({ job }) => job))]
    .map((job): Beside => {
      const own = runs.filter((run) => run.job === job);
      const beside = requests.filter(({ from, to }) => own.some((run) => run.from <= to && from <= run.to));
      const slow = beside.filter((request) => request.slow).length;
      const others = beside.length - slow;
      return { job, slow, ofSlow, others, ofOthers, p: differenceP(slow, ofSlow, others, ofOthers) };
    })
    .filter((one) => one.p < CHANCE && one.slow * one.ofOthers > one.others * one.ofSlow)
    .sort((a, b) => a.p - b.p || (a.job < b.job ? -1 : 1));
}
