import { MINUTE } from '../world/clock.js';
import { isOn, type Placements } from './placement.js';

/**
 * E7: the mail gateway answers "try later". Each notice is tried again at once, without a pause, and every
 * try holds a session of the database, until there are none left: the database is the victim.
 */
export const SESSION_LIMIT = 200;
/** Notices that are waiting grow by so many a minute; each was put off first, and holds a session then. */
const GROWTH_PER_MINUTE = 5.6;
/** Tries of each waiting notice in a minute that a line tells of. */
const TOLD_PER_MINUTE = 0.6;
/** Lines a minute that the sender lets through at most. */
const MOST_TOLD = 40;

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

/** How many lines a minute tell of a notice that was put off, for the first time or again. */
export const toldPerMinute = ({ E7 }: Placements, { retrying }: MailState): number =>
  Math.min(MOST_TOLD, retrying * TOLD_PER_MINUTE + GROWTH_PER_MINUTE * (E7?.strength ?? 0));
