import { HOUR, MINUTE, SECOND } from '../world/clock.js';
import { isOn, type Placements } from './placement.js';

/** E5: the hourly settlement of passes locks the table of fares while it runs, and whoever prices a trip waits. */
export const SETTLEMENT_MINUTE = 12;
export const SETTLEMENT_LENGTH = 4 * MINUTE;
const WAIT = 900;

/** When the settlement that may run at a moment began. */
export const settlementBefore = (at: number): number =>
  Math.floor((at - SETTLEMENT_MINUTE * MINUTE) / HOUR) * HOUR + SETTLEMENT_MINUTE * MINUTE;

/** Milliseconds that pricing a trip waits for the table. */
export function tableWait({ E5 }: Placements, at: number): number {
  const since = at - settlementBefore(at);
  const locked = since >= 5 * SECOND && since < SETTLEMENT_LENGTH;
  return isOn(E5, at) && locked ? WAIT * E5.strength : 0;
}
