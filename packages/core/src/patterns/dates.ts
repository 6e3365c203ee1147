import { decodeUtf8 } from '../codec/bytes.js';
import { isWord } from './characters.js';

const MONTH = '(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)';
const DAY_OF_WEEK = '(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun)';
const CLOCK = String.raw`\d\d:\d\d(?::\d\d(?:[.,]\d+)?)?`;
const ZONE = String.raw`(?: (?:[+-]\d{4}|[A-Z]{3,4}(?![A-Za-z])))?`;
/** Dates with the name of a month, with or without day of the week, clock time, year and zone, in the usual orders. */
const NAMED_DATE = new RegExp(
  String.raw`^(?:${DAY_OF_WEEK},? )?(?:${MONTH} [ \d]\d(?:,? ${CLOCK})?(?:,?${ZONE} \d{4})?|\d{1,2}([ /-])${MONTH}\1\d{4}(?:[ :]${CLOCK}${ZONE})?)(?![\w:])`,
);
const LONGEST = 48;

/** Where a date with the name of a month ends that begins at `start`; 0 when there is none. Bytes are UTF-8. */
export function dateEnd(bytes: Uint8Array, start: number, limit: number): number {
  if (!mayBeDate(bytes, start, limit)) return 0;
  const found = NAMED_DATE.exec(decodeUtf8(bytes.subarray(start, Math.min(limit, start + LONGEST))));
  // Dates hold ASCII only, so that characters are bytes.
  return found ? start + found[0].length : 0;
}

/** Whether three letters of a name stand at the start, or behind a day: costs nothing where there are none. */
function mayBeDate(bytes: Uint8Array, start: number, limit: number): boolean {
  let at = start;
  while (at < limit && at < start + 2 && isDigit(bytes[at])) at++;
  if (at > start) at++;
  const first = bytes[at]!;
  return (
    at + 3 < limit &&
    first >= 65 &&
    first <= 87 &&
    bytes[at + 1]! >= 97 &&
    bytes[at + 2]! >= 97 &&
    !isWord(bytes[at + 3]!)
  );
}

const isDigit = (byte: number | undefined): boolean => byte !== undefined && byte >= 48 && byte <= 57;

/** End of a date with time, a date, or a clock time at `start`; 0 when there is none. */
export function timeEnd(
  bytes: Uint8Array,
  start: number,
  limit: number,
  next: number,
  length: number,
): number {
  const separator = bytes[start + 4];
  if ((separator === 45 || separator === 47) && bytes[start + 7] === separator && start + 10 <= limit) {
    for (const offset of [0, 1, 2, 3, 5, 6, 8, 9]) if (!isDigit(bytes[start + offset])) return 0;
    const join = bytes[start + 10];
    if (start + 19 <= limit && (join === 84 || join === 32) && isDigit(bytes[start + 11])) {
      const clock = clockEnd(bytes, start + 11, limit);
      if (clock >= start + 19) return zoneEnd(bytes, clock, limit);
    }
    return (length === 10 || separator === 47) && !isWord(bytes[start + 10] ?? 0) ? start + 10 : 0;
  }
  if (next === 58 && length === 2) {
    const end = clockEnd(bytes, start, limit);
    if (end > 0 && (end >= limit || (!isWord(bytes[end]!) && bytes[end] !== 58))) return end;
  }
  return 0;
}

/** End of `hh:mm`, `hh:mm:ss` or `hh:mm:ss.fraction`, or 0. */
function clockEnd(bytes: Uint8Array, at: number, limit: number): number {
  const pair = (index: number): boolean =>
    index + 2 <= limit && isDigit(bytes[index]) && isDigit(bytes[index + 1]);
  if (!pair(at) || bytes[at + 2] !== 58 || !pair(at + 3)) return 0;
  let end = at + 5;
  if (bytes[end] !== 58 || !pair(end + 1)) return end;
  end += 3;
  if ((bytes[end] === 46 || bytes[end] === 44) && end + 1 < limit && isDigit(bytes[end + 1])) {
    end++;
    while (end < limit && isDigit(bytes[end])) end++;
  }
  return end;
}

/** End of `Z`, `+02:00` or `+0200` at `at`; `at` when there is no zone. */
function zoneEnd(bytes: Uint8Array, at: number, limit: number): number {
  if (at >= limit) return at;
  if (bytes[at] === 90) return at + 1;
  if (bytes[at] !== 43 && bytes[at] !== 45) return at;
  const digits = (index: number): boolean =>
    index + 2 <= limit && isDigit(bytes[index]) && isDigit(bytes[index + 1]);
  if (!digits(at + 1)) return at;
  const colon = bytes[at + 3] === 58 ? 1 : 0;
  return digits(at + 3 + colon) ? at + 5 + colon : at;
}
