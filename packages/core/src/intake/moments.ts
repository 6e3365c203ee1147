import { bsdTimeAt, isoAt, type Timestamp } from '../records/timestamps.js';

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const CLOCK = String.raw`(?<clock>\d\d:\d\d:\d\d)(?:[.,](?<fraction>\d{1,9}))?`;
const DAY_OF_WEEK = '(?:(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun),? )?';
const ZONE = String.raw`(?: ?(?<zone>Z|UTC|GMT|[+-]\d\d:?\d\d)(?![\w:]))?`;

/** Forms of time that lines open with, beside ISO 8601; each is looked for where a line may have it. */
const FORMS: readonly RegExp[] = [
  // Mon Nov 30 13:27:26.473516 2026
  new RegExp(
    String.raw`${DAY_OF_WEEK}(?<month>[A-Z][a-z]{2}) (?<day>[ \d]\d) ${CLOCK}${ZONE} (?<year>\d{4})(?!\d)`,
    'y',
  ),
  // Nov 30 13:27:26.473
  /(?<month>[A-Z][a-z]{2}) (?<day>[ \d]\d) (?<clock>\d\d:\d\d:\d\d)[.,](?<fraction>\d{1,9})(?!\d)/y,
  // 30 Nov 2026 13:27:26.473, 30-Nov-2026 13:27:26, Mon, 30 Nov 2026 13:27:26 +0100
  new RegExp(
    String.raw`${DAY_OF_WEEK}(?<day>\d{1,2})([ /-])(?<month>[A-Z][a-z]{2})\2(?<year>\d{4})[ :]${CLOCK}${ZONE}`,
    'y',
  ),
  // 2026.11.30 13:27:26
  new RegExp(String.raw`(?<year>20\d\d)\.(?<number>\d\d)\.(?<day>\d\d) ${CLOCK}${ZONE}`, 'y'),
  // 20261130T132726Z, 20261130 13:27:26.473
  new RegExp(String.raw`(?<year>20\d\d)(?<number>\d\d)(?<day>\d\d)[T ]${CLOCK}${ZONE}`, 'y'),
  // 1130 13:27:26.473516, behind the letter of a level
  new RegExp(String.raw`(?<number>\d\d)(?<day>\d\d) ${CLOCK}(?!\d)`, 'y'),
  // 13:27:26.473516
  new RegExp(String.raw`${CLOCK}(?![\d:])`, 'y'),
];
const EPOCH = /(1[0-9]{9})\.(\d{1,9})(?!\d)/y;
/** Seconds and a fraction, both in hexadecimal. */
const HEX_EPOCH = /([3-9a-f][0-9a-f]{7})\.([0-9a-f]{8})(?![0-9a-f])/y;

const DAY = 86_400_000_000;
/** Clocks of senders may be ahead by so much. */
const AHEAD = DAY;

/**
 * The moment written at a place of a line, in any form that programs open lines with. A zone that is not
 * told is UTC; a year or a date that is not told is the last in which the moment lies not after `now`.
 *
 * @param now microseconds since 1970
 */
export function momentAt(line: string, at: number, now: number): Timestamp | undefined {
  return isoWithZone(line, at) ?? namedAt(line, at, now) ?? bsdTimeAt(line, at, now) ?? secondsAt(line, at);
}

const NAMED_ZONE = / (?:UTC|GMT|Z)(?![\w:/-])| [+-]\d\d:?\d\d(?![\d:])/y;

/** ISO 8601, and what programs put behind it: a space, and the zone. */
function isoWithZone(line: string, at: number): Timestamp | undefined {
  const found = isoAt(line, at);
  if (!found) return undefined;
  NAMED_ZONE.lastIndex = found.end;
  const zone = NAMED_ZONE.exec(line)?.[0];
  if (zone === undefined) return found;
  return { micros: found.micros - zoneMicros(zone.trim()), end: found.end + zone.length, format: undefined };
}

function namedAt(line: string, at: number, now: number): Timestamp | undefined {
  for (const form of FORMS) {
    form.lastIndex = at;
    const groups = form.exec(line)?.groups;
    if (!groups) continue;
    const { clock, fraction = '', zone, year, month, number, day } = groups;
    const inDay = clockMicros(clock!, fraction);
    if (Number.isNaN(inDay)) return undefined;
    const monthAt =
      month !== undefined ? MONTHS.indexOf(month) : number !== undefined ? Number(number) - 1 : -1;
    if (day !== undefined && (monthAt < 0 || monthAt > 11)) continue;
    const micros = dated(year, monthAt, day, inDay - zoneMicros(zone), now);
    if (micros !== undefined) return { micros, end: form.lastIndex, format: undefined };
  }
  return undefined;
}

/** The moment of a day, the last one not after `now` where the year, or all of the date, is not told. */
function dated(
  year: string | undefined,
  month: number,
  day: string | undefined,
  inDay: number,
  now: number,
): number | undefined {
  if (day === undefined) {
    const today = Math.floor(now / DAY) * DAY + inDay;
    return today > now + AHEAD / 2 ? today - DAY : today;
  }
  const latest = new Date(now / 1000).getUTCFullYear() + 1;
  const years =
    year === undefined ? [latest, latest - 1, latest - 2, latest - 3, latest - 4] : [Number(year)];
  for (const candidate of years) {
    const date = new Date(Date.UTC(candidate, month, Number(day)));
    if (date.getUTCMonth() !== month) continue;
    const micros = date.getTime() * 1000 + inDay;
    if (year !== undefined || micros <= now + AHEAD) return micros;
  }
  return undefined;
}

function secondsAt(line: string, at: number): Timestamp | undefined {
  EPOCH.lastIndex = at;
  const plain = EPOCH.exec(line);
  if (plain) {
    const micros = Number(plain[1]) * 1_000_000 + Number(plain[2]!.padEnd(6, '0').slice(0, 6));
    return { micros, end: EPOCH.lastIndex, format: undefined };
  }
  HEX_EPOCH.lastIndex = at;
  const hex = HEX_EPOCH.exec(line);
  if (!hex) return undefined;
  const micros = parseInt(hex[1]!, 16) * 1_000_000 + Math.floor(parseInt(hex[2]!, 16) / 1000);
  return { micros, end: HEX_EPOCH.lastIndex, format: undefined };
}

function clockMicros(clock: string, fraction: string): number {
  const [hour, minute, second] = clock.split(':').map(Number) as [number, number, number];
  if (hour > 23 || minute > 59 || second > 60) return NaN;
  return (hour * 3600 + minute * 60 + second) * 1_000_000 + Number(fraction.padEnd(6, '0').slice(0, 6));
}

function zoneMicros(zone = ''): number {
  const told = /^([+-])(\d\d):?(\d\d)$/.exec(zone);
  if (!told) return 0;
  return (told[1] === '-' ? -1 : 1) * (Number(told[2]) * 60 + Number(told[3])) * 60_000_000;
}
