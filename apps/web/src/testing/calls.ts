import type { CallBody } from '@flail/contract';

/** Calls of one service by another, some of which failed. */
export const callsOf = (from: string, to: string, calls: number, failed = 0): CallBody => ({
  from,
  to,
  calls,
  failed,
  duration: 0.1,
  p95: 0.2,
});
