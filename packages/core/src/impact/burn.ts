/** What is promised: of all requests of some kind, this share at most may fail over a period. */
export interface Objective {
  /** Share that is to succeed, such as 0.99. */
  target: number;
  /** Seconds of the period that it is promised for. */
  period: number;
}

/** Requests and failures over a stretch of time. */
export interface Window {
  /** Seconds. */
  length: number;
  all: number;
  failed: number;
}

/** How fast the error budget goes. */
export interface Burn {
  /** Seconds that were looked at. */
  length: number;
  failed: number;
  all: number;
  /** Share that failed; 0 without requests. */
  share: number;
  /** The share that failed by the share that may: at 1 the budget is used up exactly at the end of the period. */
  rate: number;
}

/** How fast the budget of an objective burns, over several windows (multi-window burn rate, "The Site Reliability Workbook", 2018, chapter 5). */
export const burnOf = (objective: Objective, windows: readonly Window[]): Burn[] =>
  windows.map(({ length, all, failed }) => {
    const share = all === 0 ? 0 : failed / all;
    return { length, all, failed, share, rate: share / (1 - objective.target) };
  });

/** What is left of the budget of a period: 1 untouched, 0 used up, below 0 overdrawn; Infinity of requests that never were is 1. */
export function budgetLeft({ target }: Objective, { all, failed }: Pick<Window, 'all' | 'failed'>): number {
  const may = all * (1 - target);
  return may === 0 ? (failed === 0 ? 1 : -Infinity) : 1 - failed / may;
}

/** Seconds until the budget is used up if it goes on burning as over a window; Infinity where it does not burn. */
export function timeLeft(objective: Objective, left: number, { rate }: Pick<Burn, 'rate'>): number {
  if (left <= 0) return 0;
  return rate === 0 ? Infinity : (left * objective.period) / rate;
}
