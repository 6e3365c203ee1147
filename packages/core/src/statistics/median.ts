/** The middle of some numbers, which are sorted in place; NaN of none. */
export function median(numbers: number[]): number {
  numbers.sort((a, b) => a - b);
  const middle = numbers.length >> 1;
  return numbers.length % 2 === 1 ? numbers[middle]! : (numbers[middle - 1]! + numbers[middle]!) / 2;
}
