/** How far a percentile from a sketch may be from the true one, relative to it. */
export const SKETCH_ERROR = 0.01;
/** Up to this many values are kept as they are, and percentiles of them are exact. */
const EXACT = 5000;

const GAMMA = (1 + SKETCH_ERROR) / (1 - SKETCH_ERROR);
const LOG_GAMMA = Math.log(GAMMA);
/** Values nearer to zero than this count as zero. */
const SMALLEST = 1e-12;

/**
 * Percentiles of numbers. Few values are kept as they are; of more, how many lie in each of a row of
 * buckets whose bounds grow by a fixed ratio, so that any percentile is right to 1% of its value (Masson,
 * Rim and Lee, "DDSketch", VLDB 2019). Sketches of parts add up to that of the whole.
 */
export interface Sketch {
  /** The values themselves, while there are few. */
  values?: number[];
  positive: Map<number, number>;
  negative: Map<number, number>;
  zeros: number;
  count: number;
}

export const emptySketch = (): Sketch => ({
  values: [],
  positive: new Map(),
  negative: new Map(),
  zeros: 0,
  count: 0,
});

export function addToSketch(sketch: Sketch, value: number, times = 1): void {
  sketch.count += times;
  if (sketch.values) {
    if (sketch.values.length + times <= EXACT) {
      for (let added = 0; added < times; added++) sketch.values.push(value);
      return;
    }
    for (const one of sketch.values) bucket(sketch, one, 1);
    delete sketch.values;
  }
  bucket(sketch, value, times);
}

function bucket(sketch: Sketch, value: number, times: number): void {
  const size = Math.abs(value);
  if (size < SMALLEST) {
    sketch.zeros += times;
    return;
  }
  const buckets = value > 0 ? sketch.positive : sketch.negative;
  const index = Math.ceil(Math.log(size) / LOG_GAMMA);
  buckets.set(index, (buckets.get(index) ?? 0) + times);
}

export function mergeSketch(sum: Sketch, part: Sketch): void {
  if (part.values) {
    for (const value of part.values) addToSketch(sum, value);
    return;
  }
  if (sum.values) {
    for (const value of sum.values) bucket(sum, value, 1);
    delete sum.values;
  }
  sum.count += part.count;
  sum.zeros += part.zeros;
  for (const [index, count] of part.positive) sum.positive.set(index, (sum.positive.get(index) ?? 0) + count);
  for (const [index, count] of part.negative) sum.negative.set(index, (sum.negative.get(index) ?? 0) + count);
}

/** Value below or at which a share of the values lies (the nearest rank), and whether it is exact; NaN when there are none. */
export function quantileOf(sketch: Sketch, share: number): { value: number; exact: boolean } {
  const rank = Math.max(1, Math.ceil(share * sketch.count));
  if (sketch.values) {
    const sorted = [...sketch.values].sort((a, b) => a - b);
    return { value: sorted.length === 0 ? NaN : sorted[rank - 1]!, exact: true };
  }
  const middle = (index: number): number => (2 * GAMMA ** index) / (GAMMA + 1);
  let seen = 0;
  for (const [index, count] of [...sketch.negative].sort(([a], [b]) => b - a)) {
    seen += count;
    if (seen >= rank) return { value: -middle(index), exact: false };
  }
  seen += sketch.zeros;
  if (seen >= rank) return { value: 0, exact: false };
  for (const [index, count] of [...sketch.positive].sort(([a], [b]) => a - b)) {
    seen += count;
    if (seen >= rank) return { value: middle(index), exact: false };
  }
  return { value: NaN, exact: false };
}
