import { nearestMoment } from './range.js';

/** Beyond this, the language has no calendar. */
const MOST_MICROS = 8.64e18;
const RFC3339 = /^(\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d)(?:\.(\d{1,9}))?(Z|[+-]\d\d:\d\d)$/i;

/** Microseconds since 1970 of a moment in RFC 3339, or NaN. */
export function microsOf(text: string): number {
  const match = RFC3339.exec(text);
  if (!match) return NaN;
  const seconds = Date.parse(`${match[1]}${match[3]!.toUpperCase()}`);
  return seconds * 1000 + Number((match[2] ?? '').slice(0, 6).padEnd(6, '0'));
}

/** RFC 3339 with microseconds, in UTC. What no calendar has is told as the nearest that one has. */
export function momentText(moment: number): string {
  const micros = Math.abs(moment) <= MOST_MICROS ? moment : nearestMoment(moment);
  const millis = Math.floor(micros / 1000);
  const rest = String(micros - millis * 1000).padStart(3, '0');
  return `${new Date(millis).toISOString().slice(0, -1)}${rest}Z`;
}
