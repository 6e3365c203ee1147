import { isMoment } from '../time/range.js';
import { Wide } from './wide.js';

/** A moment since 1970 in whole nanoseconds: its microseconds, and the nanoseconds beyond them. */
export interface Nanos {
  micros: number;
  beyond: number;
}

const MOST_DIGITS = 20;
const ZERO = 48;

/** The number that digits of a text stand for; NaN where other characters are among them. */
function digitsIn(text: string, from: number, to: number): number {
  let number = 0;
  for (let at = from; at < to; at++) {
    const digit = text.charCodeAt(at) - ZERO;
    if (digit < 0 || digit > 9) return NaN;
    number = number * 10 + digit;
  }
  return number;
}

/** Whole nanoseconds since 1970; undefined where no time was given, or one that is out of range. */
export function nanosOf(value: unknown): Nanos | undefined {
  const nanos = wholeNanos(value);
  return nanos && isMoment(nanos.micros) ? nanos : undefined;
}

function wholeNanos(value: unknown): Nanos | undefined {
  if (typeof value === 'number')
    return Number.isSafeInteger(value) && value > 0
      ? { micros: Math.floor(value / 1000), beyond: value % 1000 }
      : undefined;
  if (value instanceof Wide) {
    const { thousands: micros, beyond } = value.thousands;
    return { micros, beyond };
  }
  if (typeof value !== 'string' || value.length === 0 || value.length > MOST_DIGITS) return undefined;
  const cut = Math.max(0, value.length - 3);
  const micros = digitsIn(value, 0, cut);
  const beyond = digitsIn(value, cut, value.length);
  return micros + beyond > 0 ? { micros, beyond } : undefined;
}

export const isBefore = (one: Nanos, other: Nanos): boolean =>
  one.micros < other.micros || (one.micros === other.micros && one.beyond < other.beyond);

/** The time between two in milliseconds, nothing of it lost: all with as many digits, so that they are stored as numbers. */
export function durationText(from: Nanos, to: Nanos): string {
  if (isBefore(to, from)) return `-${durationText(to, from)}`;
  let micros = to.micros - from.micros;
  let beyond = to.beyond - from.beyond;
  if (beyond < 0) {
    micros--;
    beyond += 1000;
  }
  return `${Math.floor(micros / 1000)}.${threeDigits(micros % 1000)}${threeDigits(beyond)}ms`;
}

const threeDigits = (number: number): string => String(number).padStart(3, '0');

/** The minute that was written last: records of one sender come close together. */
let written = { minute: NaN, text: '' };

/** A moment in RFC 3339, in microseconds. */
export function microsText({ micros }: Nanos): string {
  const minute = Math.floor(micros / 60e6);
  if (minute !== written.minute)
    written = { minute, text: new Date(minute * 60_000).toISOString().slice(0, 17) };
  const within = String(micros - minute * 60e6).padStart(8, '0');
  return `${written.text}${within.slice(0, 2)}.${within.slice(2)}Z`;
}
