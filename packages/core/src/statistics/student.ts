import { logGamma } from './significance.js';

/** Terms after which the fraction is as close as numbers go. */
const TERMS = 300;
const CLOSE = 1e-14;
const TINY = 1e-300;

/** Probability that a value of Student's t with so many degrees of freedom lies above `t`. */
export function tailOfT(t: number, freedom: number): number {
  if (t < 0) return 1 - tailOfT(-t, freedom);
  return incompleteBeta(freedom / (freedom + t * t), freedom / 2, 0.5) / 2;
}

/** The regularised incomplete beta function, by its continued fraction (Numerical Recipes 3rd ed. 6.4). */
function incompleteBeta(x: number, a: number, b: number): number {
  if (x <= 0) return 0;
  if (x >= 1) return 1;
  const front = Math.exp(logGamma(a + b) - logGamma(a) - logGamma(b) + a * Math.log(x) + b * Math.log(1 - x));
  return x < (a + 1) / (a + b + 2)
    ? (front * fraction(x, a, b)) / a
    : 1 - (front * fraction(1 - x, b, a)) / b;
}

function fraction(x: number, a: number, b: number): number {
  const away = (value: number): number => (Math.abs(value) < TINY ? TINY : value);
  let c = 1;
  let d = 1 / away(1 - ((a + b) * x) / (a + 1));
  let sum = d;
  for (let term = 1; term <= TERMS; term++) {
    const even = (term * (b - term) * x) / ((a + 2 * term - 1) * (a + 2 * term));
    d = 1 / away(1 + even * d);
    c = away(1 + even / c);
    sum *= d * c;
    const odd = (-(a + term) * (a + b + term) * x) / ((a + 2 * term) * (a + 2 * term + 1));
    d = 1 / away(1 + odd * d);
    c = away(1 + odd / c);
    sum *= d * c;
    if (Math.abs(d * c - 1) < CLOSE) break;
  }
  return sum;
}
