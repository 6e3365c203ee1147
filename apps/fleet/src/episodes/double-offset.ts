import { isOn, type Placements } from './placement.js';

/**
 * E8: the offset of a station's calibration is applied twice. The water at its berths looks shallower than it
 * is, and sailings from there are refused. One line at level info tells of the calibration.
 */
export const STATION = 'skerry-2';
export const BERTHS = ['skerry/1', 'skerry/2'] as const;
/** Metres. */
const OFFSET = -0.85;
const DRAUGHT = 3.1;

/** Depth of the water at a berth, as the tide feed has it. */
export function depthAt({ E8 }: Placements, at: number, berth: string): number {
  const tide = 4.4 + 0.4 * Math.sin((at / 3_600_000 / 12.4) * 2 * Math.PI);
  const calibrated = (BERTHS as readonly string[]).includes(berth) ? tide + OFFSET / 2 + 0.425 : tide;
  const wrong = isOn(E8, at) && (BERTHS as readonly string[]).includes(berth);
  return wrong ? calibrated + 2 * OFFSET * E8.strength : calibrated;
}

export const tooShallow = (depth: number): boolean => depth < DRAUGHT;
export const CALIBRATION_OFFSET = OFFSET;
