import type { Random } from '../world/random.js';
import { isOn, type Placements } from './placement.js';

/**
 * E3: for one class of vessel the planner reads the hull plan one tile at a time. Each read is short; there
 * are some two hundred of them in one request, and none fails.
 */
export const SLOW_CLASS = 'catamaran';

/** Reads of the hull plan that a request makes. */
export function hullReads({ E3 }: Placements, at: number, vessel: string, random: Random): number {
  if (!isOn(E3, at) || vessel !== SLOW_CLASS) return 1;
  return Math.max(1, Math.round((180 + random.whole(45)) * E3.strength));
}
