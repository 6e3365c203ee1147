import { median } from '../statistics/median.js';
import { rankSumP } from '../statistics/rank-test.js';
import { differenceP } from '../statistics/significance.js';

/** What one of several siblings did. */
export interface Sibling {
  name: string;
  calls: number;
  failed: number;
  /** Seconds of each call that went well. */
  seconds: readonly number[];
}

/** Whether a symptom follows the suspect, against its siblings together. */
export interface Follows {
  verdict: 'follows' | 'does not follow' | 'too few';
  /** Share that fails, or the median of seconds, at the suspect and at the others. */
  own: number;
  others: number;
  p: number;
}

const CHANCE = 0.001;
const ENOUGH_CALLS = 20;
/** Times as slow, or as often failing, as the others before a difference matters. */
const MATTERS = 1.5;

/** Whether failing follows a suspect: the share that fails there, against all its siblings (Fisher's test, or G). */
export function failingFollows(siblings: readonly Sibling[], suspect: string): Follows {
  const own = siblings.find(({ name }) => name === suspect);
  const others = siblings.filter(({ name }) => name !== suspect);
  const sum = (of: (one: Sibling) => number): number => others.reduce((all, one) => all + of(one), 0);
  const calls = sum((one) => one.calls);
  const failed = sum((one) => one.failed);
  if (!own || own.calls < ENOUGH_CALLS || calls < ENOUGH_CALLS)
    return { verdict: 'too few', own: share(own), others: calls === 0 ? 0 : failed / calls, p: 1 };
  const p = differenceP(own.failed, own.calls, failed, calls);
  const shares = { own: own.failed / own.calls, others: failed / calls };
  const follows = p < CHANCE && shares.own > MATTERS * shares.others;
  return { verdict: follows ? 'follows' : 'does not follow', ...shares, p };
}

const share = (one: Sibling | undefined): number => (one && one.calls > 0 ? one.failed / one.calls : 0);

/** Whether slowness follows a suspect: its times against those of all its siblings, by their ranks. */
export function slownessFollows(siblings: readonly Sibling[], suspect: string): Follows {
  const own = siblings.find(({ name }) => name === suspect)?.seconds ?? [];
  const others = siblings.flatMap(({ name, seconds }) => (name === suspect ? [] : seconds));
  const medians = { own: median(own), others: median(others) };
  if (own.length < ENOUGH_CALLS || others.length < ENOUGH_CALLS)
    return { verdict: 'too few', ...medians, p: 1 };
  const p = rankSumP(own, others);
  const follows = p < CHANCE && medians.own > MATTERS * medians.others;
  return { verdict: follows ? 'follows' : 'does not follow', ...medians, p };
}
