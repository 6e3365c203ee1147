import { logGamma } from '../statistics/significance.js';

/** One of several alike, with how many things it had and how many of them failed. */
export interface Member {
  name: string;
  all: number;
  failed: number;
}

/** How failures spread over members: over all of them alike, or over some. */
export interface Spread {
  /** `too few`: there is not enough to tell. */
  verdict: 'all alike' | 'a subset' | 'too few';
  /** For a subset: the members that fail more than the others, the worst first. */
  subset: Member[];
  /** Part of all failures that the subset carries. */
  carries: number;
  /** Probability of differences like these among members that fail alike. */
  p: number;
}

/** Members are told apart when differences like theirs came by chance less often than this. */
const CHANCE = 0.001;
/** What is left without the subset is taken for alike from here on. */
const ALIKE = 0.01;
/** Of fewer failures nothing is said. */
const ENOUGH = 5;

/**
 * Whether all members fail alike or a subset does: a test of homogeneity (the log-likelihood ratio G of
 * failed and not failed, by member, against chi-square), then the smallest number of the worst members without
 * which the others are alike. Members that had nothing are left out.
 */
export function spreadOf(members: readonly Member[]): Spread {
  const active = members.filter(({ all }) => all > 0);
  const failed = active.reduce((sum, member) => sum + member.failed, 0);
  const none = { subset: [], carries: 0 };
  if (active.length < 2 || failed < ENOUGH) return { verdict: 'too few', ...none, p: 1 };
  const p = homogeneityP(active);
  if (p >= CHANCE) return { verdict: 'all alike', ...none, p };
  const worst = [...active].sort((a, b) => b.failed / b.all - a.failed / a.all || b.failed - a.failed);
  let size = 1;
  while (size < worst.length - 1 && homogeneityP(worst.slice(size)) < ALIKE) size++;
  const subset = worst.slice(0, size);
  const carried = subset.reduce((sum, member) => sum + member.failed, 0);
  return { verdict: 'a subset', subset, carries: carried / failed, p };
}

/** Probability of differences like these, or larger, among members that all fail alike. */
export function homogeneityP(members: readonly Member[]): number {
  const all = members.reduce((sum, member) => sum + member.all, 0);
  const failed = members.reduce((sum, member) => sum + member.failed, 0);
  if (members.length < 2 || failed === 0 || failed === all) return 1;
  const cell = (seen: number, expected: number): number =>
    seen === 0 ? 0 : seen * Math.log(seen / expected);
  let g = 0;
  for (const member of members)
    g +=
      cell(member.failed, (member.all * failed) / all) +
      cell(member.all - member.failed, (member.all * (all - failed)) / all);
  return chiSquareTail(Math.max(0, 2 * g), members.length - 1);
}

/** Probability that chi-square with some degrees of freedom is above a value. */
export const chiSquareTail = (value: number, freedom: number): number => upperGamma(freedom / 2, value / 2);

/** The regularised upper incomplete gamma function (Numerical Recipes 3rd ed. 6.2: series, or continued fraction by Lentz). */
export function upperGamma(a: number, x: number): number {
  if (x <= 0) return 1;
  const front = Math.exp(a * Math.log(x) - x - logGamma(a));
  if (x < a + 1) {
    let term = 1 / a;
    let sum = term;
    for (let n = a + 1; Math.abs(term) > Math.abs(sum) * 1e-15; n++) sum += term *= x / n;
    return Math.max(0, 1 - sum * front);
  }
  const tiny = 1e-300;
  let b = x + 1 - a;
  let c = 1 / tiny;
  let d = 1 / b;
  let h = d;
  for (let i = 1; i < 10_000; i++) {
    const an = -i * (i - a);
    b += 2;
    d = 1 / nonZero(an * d + b, tiny);
    c = nonZero(b + an / c, tiny);
    const step = d * c;
    h *= step;
    if (Math.abs(step - 1) < 1e-15) break;
  }
  return front * h;
}

const nonZero = (value: number, tiny: number): number => (Math.abs(value) < tiny ? tiny : value);
