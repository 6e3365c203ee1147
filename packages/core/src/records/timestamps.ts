/**
 * Timestamps inside log lines: recognised by hand-written scanners (a regular expression per line costs
 * several times as much), kept as microseconds since 1970 and rebuilt to the same characters.
 *
 * A format key describes how the characters are rebuilt:
 * `I` ISO 8601 date and time: `I<date separator><T or space><fraction sign or -><digits><zone text>`;
 * `C` common log format `10/Oct/2000:13:55:36 -0700`: `C<zone text>`;
 * `B` the old syslog's `Mar  2 18:00:00`, which has no year: `B<character before a day of one digit>`;
 * `S` seconds since 1970 with a fraction: `S<digits>`; `M` milliseconds since 1970.
 */
export interface Timestamp {
  /** Microseconds since 1970-01-01T00:00:00Z. */
  micros: number;
  /** Index just behind the last character. */
  end: number;
  /** Key for `formatTimestamp`, or undefined when the exact characters can't be rebuilt from microseconds. */
  format: string | undefined;
}

const MICROS_PER_DAY = 86_400_000_000;
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

const isDigit = (code: number): boolean => code >= 48 && code <= 57;

/** The two-digit number at `at`, or -1. */
function two(text: string, at: number): number {
  const tens = text.charCodeAt(at) - 48;
  const ones = text.charCodeAt(at + 1) - 48;
  return tens >= 0 && tens <= 9 && ones >= 0 && ones <= 9 ? tens * 10 + ones : -1;
}

/** Days since 1970-01-01 of a civil date, or NaN when there is no such day. */
function epochDay(year: number, month: number, day: number): number {
  if (month < 1 || month > 12 || day < 1 || day > 31) return NaN;
  const date = new Date(Date.UTC(year, month - 1, day));
  // Years before 100 are taken for others.
  return date.getUTCDate() === day && date.getUTCFullYear() === year ? date.getTime() / 86_400_000 : NaN;
}

let lastDate = '';
let lastDay = NaN;

/** Lines come in time order, so nearly every date is that of the line before. */
function epochDayOfText(text: string, at: number): number {
  if (lastDate !== '' && text.startsWith(lastDate, at)) return lastDay;
  const year = two(text, at) * 100 + two(text, at + 2);
  const day = epochDay(year, two(text, at + 5), two(text, at + 8));
  if (year >= 0 && !Number.isNaN(day)) {
    lastDate = text.slice(at, at + 10);
    lastDay = day;
  }
  return year < 0 ? NaN : day;
}

interface Zone {
  minutes: number;
  end: number;
  text: string;
}

/** Zone designator at `at`: `Z`, `+02:00`, `+0200`, or nothing (read as UTC). */
function zoneAt(text: string, at: number): Zone {
  const sign = text.charCodeAt(at);
  if (sign === 90) return { minutes: 0, end: at + 1, text: 'Z' };
  if (sign !== 43 && sign !== 45) return { minutes: 0, end: at, text: '' };
  const hours = two(text, at + 1);
  if (hours < 0 || hours > 18) return { minutes: 0, end: at, text: '' };
  const colon = text.charCodeAt(at + 3) === 58 ? 1 : 0;
  const minutes = two(text, at + 3 + colon);
  if (minutes < 0 || minutes > 59) return { minutes: 0, end: at, text: '' };
  const end = at + 5 + colon;
  return { minutes: (sign === 45 ? -1 : 1) * (hours * 60 + minutes), end, text: text.slice(at, end) };
}

/** ISO 8601 / RFC 3339 date and time at `at`, with `-` or `/` in the date and `T` or a space before the time. */
export function isoAt(text: string, at: number): Timestamp | undefined {
  const separator = text.charCodeAt(at + 4);
  if ((separator !== 45 && separator !== 47) || text.charCodeAt(at + 7) !== separator) return undefined;
  const join = text.charCodeAt(at + 10);
  if (join !== 84 && join !== 32) return undefined;
  const day = epochDayOfText(text, at);
  if (Number.isNaN(day)) return undefined;
  const hour = two(text, at + 11);
  const minute = two(text, at + 14);
  if (hour < 0 || hour > 23 || minute < 0 || minute > 59 || text.charCodeAt(at + 13) !== 58) return undefined;
  if (text.charCodeAt(at + 16) !== 58) return undefined;
  const second = two(text, at + 17);
  if (second < 0 || second > 59) return undefined;
  let end = at + 19;
  let fraction = 0;
  let digits = 0;
  let sign = '-';
  const mark = text.charCodeAt(end);
  if ((mark === 46 || mark === 44) && isDigit(text.charCodeAt(end + 1))) {
    sign = mark === 46 ? '.' : ',';
    let scale = 100_000;
    for (end++; isDigit(text.charCodeAt(end)); end++, digits++) {
      fraction += (text.charCodeAt(end) - 48) * Math.floor(scale);
      scale /= 10;
    }
  }
  const zone = zoneAt(text, end);
  const seconds = hour * 3600 + minute * 60 + second - zone.minutes * 60;
  const separators = text[at + 4]! + text[at + 10]!;
  return {
    micros: day * MICROS_PER_DAY + seconds * 1_000_000 + fraction,
    end: zone.end,
    format: digits <= 6 ? `I${separators}${sign}${digits}${zone.text}` : undefined,
  };
}

/** The time of the common log format at `at`: `10/Oct/2000:13:55:36 -0700`. */
export function commonLogTimeAt(text: string, at: number): Timestamp | undefined {
  const day = two(text, at);
  const month = MONTHS.indexOf(text.slice(at + 3, at + 6)) + 1;
  const year = two(text, at + 7) * 100 + two(text, at + 9);
  const hour = two(text, at + 12);
  const minute = two(text, at + 15);
  const second = two(text, at + 18);
  if (text[at + 2] !== '/' || text[at + 6] !== '/' || text[at + 11] !== ':' || text[at + 14] !== ':')
    return undefined;
  if (text[at + 17] !== ':' || text[at + 20] !== ' ') return undefined;
  if (hour < 0 || hour > 23 || minute < 0 || minute > 59 || second < 0 || second > 59) return undefined;
  const zone = zoneAt(text, at + 21);
  const days = epochDay(year, month, day);
  if (zone.text === '' || Number.isNaN(days)) return undefined;
  return {
    micros: days * MICROS_PER_DAY + (hour * 3600 + minute * 60 + second - zone.minutes * 60) * 1_000_000,
    end: zone.end,
    format: `C${zone.text}`,
  };
}

/** Lines of a year ago are rarer than senders whose clock is a day ahead. */
const AHEAD = MICROS_PER_DAY;

/** The time of old syslog lines at `at`: `Mar  2 18:00:00`, in UTC; the year is that in which it lies not after `now`. */
export function bsdTimeAt(text: string, at: number, now: number): Timestamp | undefined {
  const month = MONTHS.indexOf(text.slice(at, at + 3)) + 1;
  const filler = text[at + 4]!;
  const day = filler === ' ' ? two(`0${text[at + 5] ?? ''}`, 0) : two(text, at + 4);
  const [hour, minute, second] = [two(text, at + 7), two(text, at + 10), two(text, at + 13)];
  if (month === 0 || text[at + 3] !== ' ' || text[at + 6] !== ' ') return undefined;
  if (text[at + 9] !== ':' || text[at + 12] !== ':') return undefined;
  if (hour < 0 || hour > 23 || minute < 0 || minute > 59 || second < 0 || second > 59) return undefined;
  const inDay = (hour * 3600 + minute * 60 + second) * 1_000_000;
  const thisYear = new Date(now / 1000).getUTCFullYear();
  // The 29th of February is in a leap year.
  for (let year = thisYear + 1; year > thisYear - 9; year--) {
    const days = epochDay(year, month, day);
    const micros = days * MICROS_PER_DAY + inDay;
    if (!Number.isNaN(days) && micros <= now + AHEAD)
      return { micros, end: at + 15, format: `B${day < 10 ? filler : ' '}` };
  }
  return undefined;
}

/** A number as a moment: seconds (with up to six decimals), milliseconds, microseconds or nanoseconds since 1970, told apart by size. */
export function epochNumber(raw: string): Timestamp | undefined {
  const match = /^(\d{9,10})(?:\.(\d{1,9}))?$/.exec(raw);
  if (match) {
    const fraction = match[2] ?? '';
    return {
      micros: Number(match[1]) * 1_000_000 + Number(fraction.slice(0, 6).padEnd(6, '0')),
      end: raw.length,
      format: fraction.length <= 6 && !match[1]!.startsWith('0') ? `S${fraction.length}` : undefined,
    };
  }
  if (/^[1-9]\d{11,12}$/.test(raw)) return { micros: Number(raw) * 1000, end: raw.length, format: 'M' };
  if (/^[1-9]\d{14,15}$/.test(raw)) return { micros: Number(raw), end: raw.length, format: 'U' };
  if (/^[1-9]\d{17,18}$/.test(raw))
    return { micros: Number(raw.slice(0, -3)), end: raw.length, format: undefined };
  return undefined;
}

/** A whole value (of a JSON or logfmt field) as a moment. */
export function timestampOfValue(raw: string): Timestamp | undefined {
  const found = isoAt(raw, 0) ?? commonLogTimeAt(raw, 0);
  if (found) return found.end === raw.length ? found : undefined;
  return epochNumber(raw);
}

let cachedDay = NaN;
let cachedDate = '';

function isoDate(day: number): string {
  if (day !== cachedDay) {
    cachedDay = day;
    cachedDate = new Date(day * 86_400_000).toISOString().slice(0, 10);
  }
  return cachedDate;
}

const pad = (value: number, width: number): string => String(value).padStart(width, '0');

function zoneMinutes(zone: string): number {
  if (zone === '' || zone === 'Z') return 0;
  const minutes = Number(zone.slice(1, 3)) * 60 + Number(zone.slice(-2));
  return zone.startsWith('-') ? -minutes : minutes;
}

/** Rebuilds the characters of a timestamp from its microseconds and format key. */
export function formatTimestamp(micros: number, format: string): string {
  switch (format[0]) {
    case 'M':
      return String(Math.round(micros / 1000));
    case 'U':
      return String(micros);
    case 'S': {
      const digits = Number(format.slice(1));
      const seconds = Math.floor(micros / 1_000_000);
      const fraction = pad(micros - seconds * 1_000_000, 6).slice(0, digits);
      return digits === 0 ? String(seconds) : `${seconds}.${fraction}`;
    }
    default:
  }
  if (format.startsWith('B')) {
    const [, date, clock] = /^\d+-(\d+-\d+)T(.{8})/.exec(new Date(micros / 1000).toISOString())!;
    const day = String(Number(date!.slice(3))).padStart(2, format[1]);
    return `${MONTHS[Number(date!.slice(0, 2)) - 1]} ${day} ${clock}`;
  }
  const common = format.startsWith('C');
  const zone = common ? format.slice(1) : format.slice(5);
  const local = micros + zoneMinutes(zone) * 60_000_000;
  const day = Math.floor(local / MICROS_PER_DAY);
  const inDay = local - day * MICROS_PER_DAY;
  const seconds = Math.floor(inDay / 1_000_000);
  const clock = `${pad(Math.floor(seconds / 3600), 2)}:${pad(Math.floor(seconds / 60) % 60, 2)}:${pad(seconds % 60, 2)}`;
  const date = isoDate(day);
  if (common) {
    return `${date.slice(8)}/${MONTHS[Number(date.slice(5, 7)) - 1]}/${date.slice(0, 4)}:${clock} ${zone}`;
  }
  const digits = Number(format[4]);
  const written = format[1] === '-' ? date : date.replaceAll('-', format[1]!);
  const fraction = digits === 0 ? '' : format[3]! + pad(inDay - seconds * 1_000_000, 6).slice(0, digits);
  return `${written}${format[2]}${clock}${fraction}${zone}`;
}
