/** A stretch of time, microseconds since 1970; the end is not part of it. */
export interface Window {
  from: number;
  to: number;
}

/** Index of the first element that is not before a moment, in times that rise. */
export function firstAt(times: Float64Array, moment: number): number {
  let low = 0;
  let high = times.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (times[middle]! < moment) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The rows of a window, from the first to behind the last. */
export function rowsOf(times: Float64Array, window: Window): [from: number, to: number] {
  return [firstAt(times, window.from), firstAt(times, window.to)];
}

export const overlaps = (span: Window, from: number, to: number): boolean =>
  span.from <= to && from < span.to;
