/** The normal deviate of a two-sided interval of 95%. */
const Z = 1.959963984540054;

/** The interval of a share by Wilson's score (1927). */
export function shareInterval(hits: number, all: number): [low: number, high: number] {
  if (all === 0) return [0, 1];
  const share = hits / all;
  const z2 = Z * Z;
  const middle = (share + z2 / (2 * all)) / (1 + z2 / all);
  const half = (Z * Math.sqrt((share * (1 - share)) / all + z2 / (4 * all * all))) / (1 + z2 / all);
  return [Math.max(0, middle - half), Math.min(1, middle + half)];
}

/** The interval of the difference of two shares, from their score intervals (Newcombe 1998, method 10). */
export function differenceInterval(a: number, n: number, b: number, m: number): [low: number, high: number] {
  const [p, q] = [n === 0 ? 0 : a / n, m === 0 ? 0 : b / m];
  const [l1, u1] = shareInterval(a, n);
  const [l2, u2] = shareInterval(b, m);
  const difference = p - q;
  return [
    difference - Math.sqrt((p - l1) ** 2 + (u2 - q) ** 2),
    difference + Math.sqrt((u1 - p) ** 2 + (q - l2) ** 2),
  ];
}
