import { area, curveStepAfter } from 'd3-shape';

/** Outlines of the ribbon: volume above the line, share of errors below. */
export interface Ribbon {
  volume: string;
  errors: string;
  /** The largest share of errors in any step. */
  worst: number;
}

/** Shares below this are drawn as small as they are. */
const LEAST_DEPTH = 0.03;

/**
 * Draws the ribbon. Volume stands on a root scale, so that a quiet night beside a loud day is still seen;
 * the share of errors on a plain one.
 */
export function drawRibbon(
  total: readonly number[],
  errors: readonly number[],
  x: (step: number) => number,
  line: number,
  height: number,
  depth: number,
): Ribbon {
  const most = Math.max(1, ...total);
  const shares = total.map((count, step) => (count === 0 ? 0 : errors[step]! / count));
  const worst = Math.max(0, ...shares);
  const deepest = Math.max(LEAST_DEPTH, worst);
  const steps = [...total.keys(), total.length];
  const at = (values: readonly number[], step: number): number =>
    values[Math.min(step, values.length - 1)] ?? 0;
  const shape = (y: (step: number) => number): string =>
    area<number>()
      .x((step) => x(step))
      .y0(line)
      .y1(y)
      .curve(curveStepAfter)(steps) ?? '';
  return {
    volume: shape((step) => line - Math.sqrt(at(total, step) / most) * height),
    errors: shape((step) => line + (at(shares, step) / deepest) * depth),
    worst,
  };
}
