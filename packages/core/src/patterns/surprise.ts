/**
 * How surprising a pattern's count in the focus is, given how often it came before. See docs/surprise.md
 * for the definition in words and what it was tried against.
 */
export interface Occurrences {
  /** Records in the focus and in the baseline. */
  focus: number;
  baseline: number;
  /** Records in all the time held before the focus, the baseline included where it lies there. */
  earlier: number;
  /**
   * Of the earlier records, those close before the focus. The edge of a focus is seldom drawn to the second,
   * and what leaks over it must not make a new pattern look like a known one.
   */
  margin: number;
  /** Most records in any one earlier stretch as long as the focus, the margin left out: what the pattern has been known to do. */
  peak: number;
}

/** Length of the margin before a focus, as a share of it. */
export const MARGIN_SHARE = 0.1;

/** Lengths of the windows, in one unit whatever it is. */
export interface Spans {
  focus: number;
  /** Zero where there is no baseline. */
  baseline: number;
  earlier: number;
  /** Length of the earlier stretches that `peak` was taken from. */
  stretch: number;
  /** Whether the baseline ends where the focus begins, so that it holds the margin. */
  touching: boolean;
}

/** One-sided 95%. */
const Z = 1.6448536269514722;

/**
 * Lower limit of a Poisson mean of which `count` events were seen, one-sided 95% unless another quantile is given.
 * Byar's approximation: Breslow & Day, Statistical Methods in Cancer Research II, 1987, p. 69.
 */
export function poissonLower(count: number, z = Z): number {
  if (count === 0) return 0;
  return count * Math.max(0, 1 - 1 / (9 * count) - z / (3 * Math.sqrt(count))) ** 3;
}

/** Upper limit of a Poisson mean of which `count` events were seen, one-sided 95% (Byar). */
export function poissonUpper(count: number): number {
  const next = count + 1;
  return next * (1 - 1 / (9 * next) + Z / (3 * Math.sqrt(next))) ** 3;
}

/**
 * Surprise in bits: how many doublings lie, at the very least, between the rate expected and the rate in
 * the focus. What ceased counts half of what came, since an absence is seldom the cause. Never negative.
 */
export function surpriseOf(counts: Occurrences, spans: Spans): number {
  return Math.max(rise(counts, spans), fall(counts, spans) / 2, 0);
}

function rise(counts: Occurrences, spans: Spans): number {
  if (counts.focus === 0 || spans.focus <= 0) return 0;
  const rate = poissonLower(counts.focus) / spans.focus;
  // A new pattern is held against all the time in which it did not come; a known one against the most it
  // ever did, since lines come in bursts and a burst like earlier ones is no news.
  const margin = spans.focus * MARGIN_SHARE;
  const settled = spans.earlier - margin;
  const average = settled > 0 ? poissonUpper(counts.earlier - counts.margin) / settled : 0;
  const worst = spans.stretch > 0 ? counts.peak / spans.stretch : 0;
  const inBaseline = spans.touching ? margin : 0;
  const comparison =
    spans.baseline > inBaseline
      ? (counts.baseline - (spans.touching ? counts.margin : 0)) / (spans.baseline - inBaseline)
      : 0;
  const expected = Math.max(average, worst, comparison);
  // Without any time to compare with, one event a focus is as much as can be expected.
  return Math.log2(rate / (expected > 0 ? expected : poissonUpper(0) / spans.focus));
}

function fall(counts: Occurrences, spans: Spans): number {
  if (counts.baseline === 0 || spans.baseline <= 0 || spans.focus <= 0) return 0;
  const before = poissonLower(counts.baseline) / spans.baseline;
  return Math.log2(before / (poissonUpper(counts.focus) / spans.focus));
}

/** What became of a pattern between baseline and focus. */
export type Change = 'first seen' | 'new here' | 'ceased' | 'more' | 'less' | 'as before';

/** Smallest change that is called one, and that the counts must bear out with 95% confidence. */
const NOTICEABLE = 1.25;

/** Names the change of a pattern: by its counts, and no more than they bear. */
export function changeOf(counts: Occurrences, spans: Spans): Change {
  if (counts.focus > 0 && counts.earlier === 0 && counts.baseline === 0) return 'first seen';
  if (spans.baseline <= 0) return 'as before';
  if (counts.focus > 0 && counts.baseline === 0) return 'new here';
  const scale = spans.focus / spans.baseline;
  const expected = counts.baseline * scale;
  if (counts.focus === 0) return expected > 3 ? 'ceased' : 'as before';
  const lift = counts.focus / expected;
  // A difference of two Poisson counts, by its normal approximation on the square root (Anscombe).
  const apart = (2 * (Math.sqrt(counts.focus + 3 / 8) - Math.sqrt(expected + 3 / 8))) / Math.sqrt(1 + scale);
  if (apart > Z && lift >= NOTICEABLE) return 'more';
  if (apart < -Z && lift <= 1 / NOTICEABLE) return 'less';
  return 'as before';
}
