/** Where the share of a yes among yes and no rose. */
export interface ShareRise {
  /** Place of the first of the risen. */
  at: number;
  /** How many said yes before it, and from it on. */
  before: number;
  since: number;
}

/** So many are needed before it to tell what is usual, and after it. */
const LEAST = 8;
/** Twice the logarithm of the likelihood ratio that is no chance, the place being chosen (p about 0.1%). */
const CERTAIN = 16;

/**
 * Where a share rose: the place at which two shares explain a series of yes and no best (Hinkley, Biometrika 1970),
 * where they explain it so much better than one that it is no chance.
 *
 * @returns undefined where nothing rose, or too few are known on one side
 */
export function shareRise(yes: readonly boolean[]): ShareRise | undefined {
  const all = yes.reduce((sum, one) => sum + Number(one), 0);
  const count = yes.length;
  let best = { at: -1, gain: -Infinity, before: 0 };
  let before = 0;
  for (let at = 1; at < count; at++) {
    if (yes[at - 1]) before++;
    if (at < LEAST || count - at < LEAST) continue;
    const since = all - before;
    if (since / (count - at) <= before / at) continue;
    const gain = 2 * (likelihood(before, at) + likelihood(since, count - at) - likelihood(all, count));
    if (gain > best.gain) best = { at, gain, before };
  }
  return best.gain < CERTAIN ? undefined : { at: best.at, before: best.before, since: all - best.before };
}

/** Logarithm of the likelihood of so many of all, by their own share. */
function likelihood(some: number, all: number): number {
  const part = (count: number): number => (count === 0 ? 0 : count * Math.log(count / all));
  return part(some) + part(all - some);
}
