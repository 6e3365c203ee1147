/** One place at which forms differ, with what speaks for a value there and how much of it is one statement. */
export interface Instance {
  evidence: Float64Array;
  /** Share of pairs of forms that are one statement, from 0 to 1. */
  same: number;
  weight: number;
}

/**
 * Weights of a logistic regression (Newton's method), so that sources count alike.
 *
 * @param prior what the weights are where nothing is told
 * @param ridge how strongly they are held there
 */
export function fit(
  bySource: readonly (readonly Instance[])[],
  prior: Float64Array,
  ridge: number,
): Float64Array {
  const size = prior.length;
  const weights = prior.slice();
  const all = bySource.flatMap((list) => {
    const total = list.reduce((sum, { weight }) => sum + weight, 0);
    const scale = total === 0 ? 0 : Math.min(1, 80 / total);
    return list.map((instance) => ({ ...instance, weight: instance.weight * scale }));
  });
  for (let step = 0; step < 30; step++) {
    const gradient = new Float64Array(size);
    const hessian = Array.from({ length: size }, () => new Float64Array(size));
    for (const { evidence, same, weight } of all) {
      let sum = 0;
      for (let at = 0; at < size; at++) sum += evidence[at]! * weights[at]!;
      const p = 1 / (1 + Math.exp(-sum));
      const error = (same - p) * weight;
      const curve = Math.max(1e-6, p * (1 - p)) * weight;
      for (let a = 0; a < size; a++) {
        if (evidence[a] === 0) continue;
        gradient[a]! += error * evidence[a]!;
        for (let b = 0; b <= a; b++) hessian[a]![b]! += curve * evidence[a]! * evidence[b]!;
      }
    }
    for (let a = 0; a < size; a++) {
      const penalty = a === 0 ? 0.01 : ridge;
      gradient[a]! -= penalty * (weights[a]! - prior[a]!);
      hessian[a]![a]! += penalty;
      for (let b = a + 1; b < size; b++) hessian[a]![b] = hessian[b]![a]!;
    }
    const change = solve(hessian, gradient);
    let largest = 0;
    for (let at = 0; at < size; at++) {
      weights[at]! += change[at]!;
      largest = Math.max(largest, Math.abs(change[at]!));
    }
    if (largest < 1e-4) break;
  }
  return weights;
}

/** Solves a symmetric system by elimination with pivots. */
function solve(matrix: Float64Array[], right: Float64Array): Float64Array {
  const size = right.length;
  const rows = matrix.map((row, at) => Float64Array.from([...row, right[at]!]));
  for (let column = 0; column < size; column++) {
    let pivot = column;
    for (let row = column + 1; row < size; row++)
      if (Math.abs(rows[row]![column]!) > Math.abs(rows[pivot]![column]!)) pivot = row;
    [rows[column], rows[pivot]] = [rows[pivot]!, rows[column]!];
    for (let row = 0; row < size; row++) {
      if (row === column) continue;
      const factor = rows[row]![column]! / rows[column]![column]!;
      if (factor === 0) continue;
      for (let at = column; at <= size; at++) rows[row]![at]! -= factor * rows[column]![at]!;
    }
  }
  return Float64Array.from(rows, (row, at) => row[size]! / row[at]!);
}
