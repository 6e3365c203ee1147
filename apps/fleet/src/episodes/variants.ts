/**
 * What makes a cause harder to find, for tests: `latency-first` lets requests become slow before anything
 * else moves; with `nearer-change` a harmless change stands nearer to the onset than the true one.
 */
export const VARIANTS = ['latency-first', 'nearer-change'] as const;
export type Variant = (typeof VARIANTS)[number];
