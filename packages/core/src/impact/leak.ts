import { theilSen } from '../series/normal.js';

/** A figure that climbs steadily towards its limit. */
export interface Leak {
  /** Growth in a second. */
  slope: number;
  /** Seconds until the limit is reached if it goes on like this. */
  left: number;
}

/** Pieces that the time is cut into: the climb has to be there in most of them. */
const PIECES = 12;
/** Of the pieces, the share in which it has to have grown. */
const STEADY = 0.8;
/** Part of what is left to the limit, at the beginning, that it has to have used up before it is told of. */
const MATTERS = 0.05;

/**
 * Whether a figure climbs steadily towards its limit: the minima of a dozen pieces of time rise, nearly all of
 * them (so that a tide, or memory that is collected now and then, is no leak), and so far that it matters. The
 * slope is the median of the slopes between the minima (Theil 1950, Sen 1968).
 *
 * @param values in equal steps of `step` seconds; NaN where nothing was measured
 */
export function leakOf(values: readonly number[], step: number, limit: number): Leak | undefined {
  const length = Math.floor(values.length / PIECES);
  if (length === 0) return undefined;
  const minima: { at: number; value: number }[] = [];
  for (let piece = 0; piece < PIECES; piece++) {
    const known = values.slice(piece * length, (piece + 1) * length).filter((value) => !Number.isNaN(value));
    if (known.length > 0)
      minima.push({ at: (piece + 0.5) * length * step, value: known.reduce((a, b) => Math.min(a, b)) });
  }
  if (minima.length < PIECES * STEADY) return undefined;
  const first = minima[0]!.value;
  const last = minima.at(-1)!.value;
  const rises = minima.slice(1).filter(({ value }, at) => value > minima[at]!.value).length;
  const slope = theilSen(minima);
  if (rises < STEADY * (minima.length - 1) || slope <= 0 || last - first < MATTERS * (limit - first))
    return undefined;
  // The minimum of the last piece may be of its beginning.
  const now = last + slope * length * step;
  return { slope, left: Math.max(0, (limit - now) / slope) };
}
