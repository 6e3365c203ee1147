import type { Request } from './entries.js';

/** In which order requests are listed. */
export type RequestOrder = 'newest' | 'oldest' | 'slowest' | 'fastest';

/**
 * A page of requests in an order; of equals the earlier ones come first, but for the newest. Requests are in the order
 * of time already; of the slowest and the fastest only as many are sorted as come up to the page, found by a limit.
 */
export function pageOf(
  requests: readonly Request[],
  order: RequestOrder,
  offset: number,
  limit: number,
): Request[] {
  const end = offset + limit;
  if (order === 'oldest') return requests.slice(offset, end);
  if (order === 'newest')
    return requests
      .slice(Math.max(0, requests.length - end), Math.max(0, requests.length - offset))
      .reverse();
  const slowest = order === 'slowest';
  const sorted = Float64Array.from(requests, ({ seconds }) => seconds).sort();
  const last = slowest ? sorted[Math.max(0, sorted.length - end)] : sorted[Math.min(sorted.length, end) - 1];
  if (last === undefined) return [];
  return requests
    .filter(({ seconds }) => (slowest ? seconds >= last : seconds <= last))
    .sort((a, b) => (slowest ? b.seconds - a.seconds : a.seconds - b.seconds))
    .slice(offset, end);
}
