import { poissonLower } from '../patterns/surprise.js';
import type { Volume } from './volume.js';

/** A run of steps in which more records than usual are errors. */
export interface Excess {
  /** First step, and the one behind the last. */
  from: number;
  to: number;
  errors: number;
  total: number;
  /** Share of errors in the steps outside all such runs. */
  usual: number;
}

/** A share this many times the usual one stands out, if the count bears it. */
const TIMES_USUAL = 3;
const LEAST_ERRORS = 8;
/** One in ten thousand, since a thousand steps are looked at together. */
const SURE = 3.719;
/** Runs that are this few steps apart are one. */
const BRIDGE = 1;

/**
 * Finds the stretches in which errors stand out: the lower limit of a step's error count (Poisson) must
 * exceed three times what the median share lets expect, and one. Runs are cut at the first and last such step.
 */
export function excessOf(volume: Volume): Excess[] {
  const shares = volume.total.flatMap((total, step) => (total > 0 ? [volume.errors[step]! / total] : []));
  if (shares.length < 4) return [];
  const middle = medianOf(shares);
  // In a quiet store most steps have no error at all; then the mean without the worst quarter stands in.
  const typical = middle > 0 ? middle : meanOfLower(shares, 0.75);
  const runs: { from: number; to: number }[] = [];
  volume.total.forEach((total, step) => {
    if (poissonLower(volume.errors[step]!, SURE) <= Math.max(1, TIMES_USUAL * typical * total)) return;
    const last = runs.at(-1);
    if (last && step - last.to <= BRIDGE) last.to = step + 1;
    else runs.push({ from: step, to: step + 1 });
  });
  const inside = new Set(
    runs.flatMap(({ from, to }) => Array.from({ length: to - from }, (_, index) => from + index)),
  );
  const sum = (values: readonly number[], steps: (step: number) => boolean): number =>
    values.reduce((all, value, step) => (steps(step) ? all + value : all), 0);
  const outside = sum(volume.total, (step) => !inside.has(step));
  const usual = outside > 0 ? sum(volume.errors, (step) => !inside.has(step)) / outside : 0;
  return runs
    .map(({ from, to }) => {
      const within = (step: number): boolean => step >= from && step < to;
      return { from, to, errors: sum(volume.errors, within), total: sum(volume.total, within), usual };
    })
    .filter(({ errors }) => errors >= LEAST_ERRORS);
}

function medianOf(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[sorted.length >> 1]!;
}

function meanOfLower(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b).slice(0, Math.ceil(values.length * share));
  return sorted.reduce((sum, value) => sum + value, 0) / sorted.length;
}

/** First and last step of a finer count whose errors stand out, once a run is known to lie there; the whole of it when none does alone. */
export function edgesOf(volume: Volume, usual: number): [first: number, last: number] {
  const out = volume.total.map(
    (total, step) => volume.errors[step]! >= 2 && volume.errors[step]! > TIMES_USUAL * usual * total,
  );
  const first = out.indexOf(true);
  return first < 0 ? [0, out.length - 1] : [first, out.lastIndexOf(true)];
}
