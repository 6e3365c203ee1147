import { HOUR } from '../world/clock.js';
import { isOn, type Placements } from './placement.js';

/**
 * E8: the offset of a station's calibration is applied twice. The water at its berths looks shallower than it
 * is, and sailings from there are refused. One line at level info tells of the calibration.
 */
export const STATION = 'skerry-2';
export const BERTHS = ['skerry/1', 'skerry/2'] as const;
/** Metres: how far the station's gauge stands from chart datum, and what a vessel needs. */
export const CALIBRATION_OFFSET = -1.8;
const DRAUGHT = 3.1;

/** Depth of the water at a berth, as the tide feed has it. */
export function depthAt({ E8 }: Placements, at: number, berth: string): number {
  const tide = 4.4 + 0.4 * Math.sin((at / HOUR / 12.4) * 2 * Math.PI);
  const wrong = isOn(E8, at) && (BERTHS as readonly string[]).includes(berth);
  return wrong ? tide + CALIBRATION_OFFSET * E8.strength : tide;
}

export const tooShallow = (depth: number): boolean => depth < DRAUGHT;
