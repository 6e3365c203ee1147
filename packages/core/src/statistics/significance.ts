/** Natural logarithm of the gamma function (Lanczos, coefficients of Numerical Recipes 3rd ed. 6.1). */
export function logGamma(x: number): number {
  const coefficients = [
    57.15623566586292, -59.59796035547549, 14.136097974741746, -0.4919138160976202, 3.399464998481189e-5,
    4.652362892704858e-5, -9.837447530487956e-5, 0.0001580887032249125, -0.00021026444172410488,
    0.00021743961811521265, -0.0001643181065367639, 8.441822398385275e-5, -2.6190838401581408e-5,
    3.6899182659531625e-6,
  ];
  const shifted = x + 5.2421875;
  const base = (x + 0.5) * Math.log(shifted) - shifted;
  let sum = 0.9999999999999971;
  coefficients.forEach((coefficient, at) => (sum += coefficient / (x + at + 1)));
  return base + Math.log((2.5066282746310007 * sum) / x);
}

const logChoose = (n: number, k: number): number => logGamma(n + 1) - logGamma(k + 1) - logGamma(n - k + 1);

/** Tables with a cell expected to hold fewer than this are tested exactly. */
const SMALL = 10;
/** Exact tests sum over at most so many tables. */
const MAX_TABLES = 5000;

/**
 * Two-sided p of a two-by-two table: are `a` of `n` and `b` of `m` of one share? Exact for small counts
 * (Fisher: the sum over all tables no likelier than this one), else by the log-likelihood ratio (G) with
 * one degree of freedom.
 */
export function differenceP(a: number, n: number, b: number, m: number): number {
  if (n === 0 || m === 0) return 1;
  const hits = a + b;
  const all = n + m;
  const expected = Math.min(
    (hits * n) / all,
    (hits * m) / all,
    ((all - hits) * n) / all,
    ((all - hits) * m) / all,
  );
  const low = Math.max(0, hits - m);
  const high = Math.min(hits, n);
  if (expected < SMALL && high - low <= MAX_TABLES) {
    const whole = logChoose(all, hits);
    const likelihood = (x: number): number => logChoose(n, x) + logChoose(m, hits - x) - whole;
    const own = likelihood(a);
    let p = 0;
    for (let x = low; x <= high; x++) {
      const one = likelihood(x);
      if (one <= own + 1e-7) p += Math.exp(one);
    }
    return Math.min(1, p);
  }
  const cell = (seen: number, share: number): number => (seen === 0 ? 0 : seen * Math.log(seen / share));
  const g =
    2 *
    (cell(a, (hits * n) / all) +
      cell(b, (hits * m) / all) +
      cell(n - a, ((all - hits) * n) / all) +
      cell(m - b, ((all - hits) * m) / all));
  return normalTail(Math.sqrt(Math.max(0, g))) * 2;
}

/** Probability that a standard normal value is above `z` (W. J. Cody's rational approximation by way of erfc, Numerical Recipes 6.2). */
export function normalTail(z: number): number {
  const x = Math.abs(z) / Math.SQRT2;
  const t = 1 / (1 + 0.5 * x);
  const erfc =
    t *
    Math.exp(
      -x * x -
        1.26551223 +
        t *
          (1.00002368 +
            t *
              (0.37409196 +
                t *
                  (0.09678418 +
                    t *
                      (-0.18628806 +
                        t *
                          (0.27886807 +
                            t * (-1.13520398 + t * (1.48851587 + t * (-0.82215223 + t * 0.17087277)))))))),
    );
  return z >= 0 ? erfc / 2 : 1 - erfc / 2;
}

/** Whether each of many tests stands when a share of false ones among those found of at most `rate` is borne (Benjamini and Hochberg 1995). */
export function discoveries(p: readonly number[], rate = 0.05): boolean[] {
  const order = p.map((_, at) => at).sort((a, b) => p[a]! - p[b]!);
  let last = -1;
  order.forEach((at, rank) => {
    if (p[at]! <= ((rank + 1) / p.length) * rate) last = rank;
  });
  const found = new Array<boolean>(p.length).fill(false);
  for (let rank = 0; rank <= last; rank++) found[order[rank]!] = true;
  return found;
}

/** 95% limits of the ratio of two shares (Katz, Baptista, Azen and Pike 1978, with half a record added where one is zero). */
export function ratioInterval(a: number, n: number, b: number, m: number): [low: number, high: number] {
  const add = a === 0 || b === 0 ? 0.5 : 0;
  const [x, y] = [a + add, b + add];
  const ratio = x / (n + add) / (y / (m + add));
  const spread = 1.96 * Math.sqrt(Math.max(0, 1 / x - 1 / (n + add) + 1 / y - 1 / (m + add)));
  return [ratio * Math.exp(-spread), ratio * Math.exp(spread)];
}
