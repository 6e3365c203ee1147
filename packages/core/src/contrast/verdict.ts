/** How far something tells two cohorts apart, as sure as the intervals of its shares are. */
export type Verdict =
  'tells them apart' | 'tells most of them apart' | 'tells a part of them apart' | 'is a hint';

const WELL = 0.8;
const HALF = 0.5;

export function verdictOf({
  coverageIn: [coverage],
  purityIn: [purity],
}: {
  coverageIn: readonly [number, number];
  purityIn: readonly [number, number];
}): Verdict {
  if (coverage >= WELL && purity >= WELL) return 'tells them apart';
  if (coverage >= HALF && purity >= HALF) return 'tells most of them apart';
  return purity >= HALF ? 'tells a part of them apart' : 'is a hint';
}
