import type { Window } from '@flail/core';
import type { ReplayState } from '../database/models.js';

/** Speeds at which a data set can be played back. */
export const REPLAY_SPEEDS = [1, 10, 60, 600] as const;

/** Up to where a data set is shown, microseconds since 1970: without limit where it is not played back. */
export function shownUntil({ replay }: { replay?: ReplayState }, now = Date.now()): number {
  if (!replay) return Infinity;
  const passed = replay.playing ? (now - replay.since) * 1000 * replay.speed : 0;
  return replay.position + passed;
}

/** The part of a window that is shown. Where that is nothing, a window as long at a time of which nothing is held. */
export function shownPart({ from, to }: Window, until: number): Window {
  if (to <= until) return { from, to };
  return from < until ? { from, to: until } : { from: 0, to: to - from };
}
