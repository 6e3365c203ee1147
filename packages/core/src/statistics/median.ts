/** The middle of some numbers; NaN of none. Typed arrays sort numbers several times as fast as plain ones. */
export function median(numbers: readonly number[] | Float64Array): number {
  const sorted = Float64Array.from(numbers).sort();
  const middle = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[middle]! : (sorted[middle - 1]! + sorted[middle]!) / 2;
}
