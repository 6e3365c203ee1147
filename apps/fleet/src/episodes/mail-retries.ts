import { MINUTE } from '../world/clock.js';
import { isOn, type Placements } from './placement.js';

/**
 * E7: the mail gateway answers "try later". Each notice is tried again at once, without a pause, and every
 * try holds a session of the database, until there are none left: the database is the victim.
 */
export const SESSION_LIMIT = 200;
/** Notices that are waiting grow by so many a minute; each holds a session. */
const GROWTH_PER_MINUTE = 5.6;

export interface MailState {
  /** Share of tries that the gateway puts off. */
  putOff: number;
  /** Notices tried again and again. */
  retrying: number;
  /** Sessions that they hold. */
  sessions: number;
  /** Whether sessions are refused. */
  full: boolean;
}

export function mailState({ E7 }: Placements, at: number, ordinarySessions: number): MailState {
  if (!isOn(E7, at)) return { putOff: 0.01, retrying: 0, sessions: 0, full: false };
  const retrying = GROWTH_PER_MINUTE * E7.strength * ((at - E7.start) / MINUTE);
  const room = SESSION_LIMIT - ordinarySessions;
  return { putOff: 0.97, retrying, sessions: Math.min(retrying, room), full: retrying >= room };
}
