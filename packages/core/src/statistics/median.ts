/** Below this many, sorting is as quick as choosing. */
const FEW = 24;

/** The middle of some numbers; NaN of none. */
export const median = (numbers: readonly number[] | Float64Array): number =>
  medianInPlace(new Float64Array(numbers));

/** The same of numbers that may be moved about. */
export function medianInPlace(own: Float64Array): number {
  const middle = own.length >> 1;
  if (own.length <= FEW) {
    own.sort();
    return own.length % 2 === 1 ? own[middle]! : (own[middle - 1]! + own[middle]!) / 2;
  }
  const upper = nth(own, middle);
  if (own.length % 2 === 1) return upper;
  // What stands before the place that was chosen is no larger.
  let lower = -Infinity;
  for (let at = 0; at < middle; at++) if (own[at]! > lower) lower = own[at]!;
  return (lower + upper) / 2;
}

/** The value that would stand at a place if they were sorted (Hoare's selection, 1961); moves them about. */
function nth(values: Float64Array, place: number): number {
  let low = 0;
  let high = values.length - 1;
  while (low < high) {
    const pivot = values[(low + high) >> 1]!;
    let left = low;
    let right = high;
    while (left <= right) {
      while (values[left]! < pivot) left++;
      while (values[right]! > pivot) right--;
      if (left <= right) {
        const swapped = values[left]!;
        values[left++] = values[right]!;
        values[right--] = swapped;
      }
    }
    if (place <= right) high = right;
    else if (place >= left) low = left;
    else break;
  }
  return values[place]!;
}
