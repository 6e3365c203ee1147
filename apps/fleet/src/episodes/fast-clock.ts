import type { Instance } from '../world/company.js';
import { INSTANCES } from '../world/company.js';
import { MINUTE } from '../world/clock.js';
import { isOn, type Placements } from './placement.js';

/**
 * E4: time sync stopped on the host of one instance, and its clock runs away; passes issued less than that
 * long ago look to it as if they were not valid yet.
 */
export const fastInstance = (): Instance => INSTANCES.get('boarding-api')![3]!;

const OFFSET_SECONDS = 41;
/** The clock has run away after so long. */
const RUNS_AWAY = 2 * MINUTE;

/** By how many seconds the clock of an instance is ahead. */
export function clockOffset({ E4 }: Placements, at: number, instance: Instance): number {
  if (!isOn(E4, at) || instance.name !== fastInstance().name) return 0;
  return OFFSET_SECONDS * E4.strength * Math.min(1, (at - E4.start) / RUNS_AWAY);
}

/** Passes are mostly issued well before they are scanned; this share, in each second, just before. */
const FRESH_PER_SECOND = 0.0021;

/** Chance that a pass was issued less than so many seconds ago. */
export const freshPass = (seconds: number): number => Math.min(1, seconds * FRESH_PER_SECOND);
