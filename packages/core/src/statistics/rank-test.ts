import { normalTail } from './significance.js';

/**
 * Whether two samples are of one size: two-sided p of the rank sum test (Mann and Whitney 1947), by the normal
 * approximation with correction for ties. Above about eight values on each side it is close enough.
 */
export function rankSumP(a: readonly number[], b: readonly number[]): number {
  if (a.length === 0 || b.length === 0) return 1;
  const all = [
    ...a.map((value) => ({ value, own: true })),
    ...b.map((value) => ({ value, own: false })),
  ].sort((x, y) => x.value - y.value);
  let ranks = 0;
  let ties = 0;
  for (let at = 0; at < all.length;) {
    let end = at;
    while (end + 1 < all.length && all[end + 1]!.value === all[at]!.value) end++;
    const rank = (at + end) / 2 + 1;
    const count = end - at + 1;
    ties += count ** 3 - count;
    for (let one = at; one <= end; one++) if (all[one]!.own) ranks += rank;
    at = end + 1;
  }
  const [n, m, sum] = [a.length, b.length, all.length];
  const u = ranks - (n * (n + 1)) / 2;
  const variance = ((n * m) / 12) * (sum + 1 - ties / (sum * (sum - 1)));
  if (variance <= 0) return 1;
  return Math.min(1, 2 * normalTail(Math.abs(u - (n * m) / 2) / Math.sqrt(variance)));
}
