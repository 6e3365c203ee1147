import type { FigureBody, HealthAnswer } from '@flail/contract';

export const counted = (count: number) => ({ count, within: 0 });
/** Requests of which some failed. */
export const tally = (all: number, failed: number) => ({
  kept: all,
  all: counted(all),
  outcomes: { ok: counted(all - failed), refused: counted(0), failed: counted(failed), hidden: counted(0) },
  slow: counted(0),
  access: { read: { all: 0, failed: 0 }, write: { all: 0, failed: 0 }, unknown: { all: 0, failed: 0 } },
});
/** A figure of Health as usual, unless said otherwise. */
export const figure = (more: Partial<FigureBody>): FigureBody => ({
  name: 'boardings a minute',
  unit: '{passenger}/min',
  verdict: 'as usual',
  from: '',
  step: 300,
  values: [],
  low: [],
  high: [],
  ...more,
});
/** A quiet hour, unless said otherwise. */
export const health = (more: Partial<HealthAnswer>): HealthAnswer => ({
  tolerance: 0.01,
  focus: tally(1000, 0),
  baseline: tally(1000, 1),
  figures: [],
  business: [],
  hours: [],
  retried: { failed: 0, again: 0, recovered: 0, sampled: false },
  objectives: [],
  entities: [],
  runs: [],
  ...more,
});
