import { encodeUtf8 } from '../codec/bytes.js';
import { levelCode } from '../records/levels.js';
import type { Shape } from '../records/shape.js';
import { formatTimestamp, timestampOfValue } from '../records/timestamps.js';
import { isMoment } from '../time/range.js';
import type { ParsedLine } from './reader.js';

/** What the letter behind a backslash stands for, where there is but one way to write it. Texts of several lines are left to the full reader, which looks for stack traces in them. */
const UNESCAPED = new Uint8Array(256);
UNESCAPED[34] = 34;
UNESCAPED[92] = 92;
UNESCAPED[98] = 8;
UNESCAPED[102] = 12;
UNESCAPED[114] = 13;
UNESCAPED[116] = 9;

/** How the moment of a shape is written: an ISO date and time of one length and zone, or milliseconds since 1970. */
interface TimeForm {
  millis: boolean;
  /** Bytes of the whole moment. */
  length: number;
  /** Digits behind the seconds. */
  digits: number;
  separator: number;
  join: number;
  mark: number;
  zone: Uint8Array;
  zoneMicros: number;
}

/** A shape whose lines can be read by comparing bytes. */
interface Family {
  shape: Shape;
  literals: Uint8Array[];
  /** 1 where the value stands between quotes. */
  quoted: Uint8Array;
  text: number;
  time: number;
  level: number;
  service: number;
  form: TimeForm;
}

const MAX_FAMILIES = 64;
const MAX_HOLES = 128;
const MICROS_PER_DAY = 86_400_000_000;

/**
 * Reads JSON lines as bytes, without making a text or object of anything, as long as they are like lines
 * that were read before: the same keys in the same order, no escapes, a moment of the same form. Such lines
 * are nearly all of a stream. What is not, is refused, read by the full reader, and learned from.
 */
export class FastJson {
  /** Where the values of the line read last stand. */
  readonly starts = new Int32Array(MAX_HOLES);
  readonly ends = new Int32Array(MAX_HOLES);
  micros = 0;
  level = 0;
  /** The bytes in which the text stands, and where: those of the line, or others where it held escapes. */
  textBytes: Uint8Array = new Uint8Array();
  textFrom = 0;
  textTo = 0;
  /** Index of the hole that names the service, or -1. */
  service = -1;
  private families: Family[] = [];
  private readonly known = new Map<Shape, boolean>();
  private readonly levels = new Map<number, number>();
  private scratch = new Uint8Array(8192);
  private readonly date = new Uint8Array(10);
  private day = NaN;

  /** Learns the shape of a line that the full reader made out. */
  learn({ shape, exact, micros }: ParsedLine): void {
    if (this.known.has(shape) || !exact || shape.format !== 'json') return;
    const family = familyOf(shape, micros);
    this.known.set(shape, family !== undefined);
    if (!family) return;
    if (this.families.length >= MAX_FAMILIES) {
      const gone = this.families.pop()!;
      this.known.delete(gone.shape);
    }
    this.families.unshift(family);
  }

  /** Reads the line between two indices; undefined for one that takes the full reader. The bytes must be valid UTF-8. */
  read(bytes: Uint8Array, from: number, to: number): Shape | undefined {
    const { families } = this;
    for (let at = 0; at < families.length; at++) {
      const family = families[at]!;
      if (!this.matches(family, bytes, from, to)) continue;
      // Lines like the one before are looked for first.
      if (at > 0) {
        families[at] = families[at - 1]!;
        families[at - 1] = family;
      }
      return family.shape;
    }
    return undefined;
  }

  private matches(family: Family, bytes: Uint8Array, from: number, to: number): boolean {
    const { literals, quoted } = family;
    const { starts, ends } = this;
    const holes = quoted.length;
    let at = from;
    let escapes = false;
    for (let hole = 0; hole < holes; hole++) {
      const literal = literals[hole]!;
      const length = literal.length;
      for (let index = 0; index < length; index++) if (bytes[at + index] !== literal[index]) return false;
      at += length;
      starts[hole] = at;
      if (quoted[hole] === 1) {
        for (; at < to; at++) {
          const byte = bytes[at]!;
          if (byte === 34) break;
          if (byte < 32) return false;
          if (byte === 92) {
            // Only texts are expected to hold escapes, and only those that are written one way.
            if (hole !== family.text || UNESCAPED[bytes[at + 1]!] === 0) return false;
            escapes = true;
            at++;
          }
        }
      } else {
        at = bareEnd(bytes, at, to);
        if (at < 0) return false;
      }
      ends[hole] = at;
    }
    const last = literals[holes]!;
    if (to - at !== last.length) return false;
    for (let index = 0; index < last.length; index++) if (bytes[at + index] !== last[index]) return false;
    if (!this.readTime(family, bytes)) return false;
    this.level = family.level < 0 ? 0 : this.levelAt(bytes, starts[family.level]!, ends[family.level]!);
    this.service = family.service;
    this.textBytes = bytes;
    this.textFrom = starts[family.text]!;
    this.textTo = ends[family.text]!;
    if (escapes) this.unescapeText();
    return true;
  }

  private unescapeText(): void {
    const { textBytes: bytes, textFrom, textTo } = this;
    if (this.scratch.length < textTo - textFrom) this.scratch = new Uint8Array((textTo - textFrom) * 2);
    const { scratch } = this;
    let length = 0;
    for (let at = textFrom; at < textTo; at++) {
      const byte = bytes[at]!;
      scratch[length++] = byte === 92 ? UNESCAPED[bytes[++at]!]! : byte;
    }
    this.textBytes = scratch;
    this.textFrom = 0;
    this.textTo = length;
  }

  private readTime({ form, time }: Family, bytes: Uint8Array): boolean {
    const at = this.starts[time]!;
    if (this.ends[time]! - at !== form.length) return false;
    if (form.millis) {
      if (bytes[at] === 48) return false;
      let number = 0;
      for (let index = at; index < at + form.length; index++) {
        const digit = bytes[index]! - 48;
        if (digit < 0 || digit > 9) return false;
        number = number * 10 + digit;
      }
      this.micros = number * 1000;
      return isMoment(this.micros);
    }
    const day = this.dayAt(bytes, at, form);
    const hour = two(bytes, at + 11);
    const minute = two(bytes, at + 14);
    const second = two(bytes, at + 17);
    if (
      !(hour >= 0 && hour < 24 && minute >= 0 && minute < 60 && second >= 0 && second < 60) ||
      Number.isNaN(day)
    )
      return false;
    if (bytes[at + 10] !== form.join || bytes[at + 13] !== 58 || bytes[at + 16] !== 58) return false;
    let fraction = 0;
    let index = at + 19;
    if (form.digits > 0) {
      if (bytes[index++] !== form.mark) return false;
      let scale = 100_000;
      for (let digit = 0; digit < form.digits; digit++, index++) {
        const value = bytes[index]! - 48;
        if (value < 0 || value > 9) return false;
        fraction += value * scale;
        scale /= 10;
      }
    }
    for (let byte = 0; byte < form.zone.length; byte++)
      if (bytes[index + byte] !== form.zone[byte]) return false;
    this.micros =
      day * MICROS_PER_DAY + (hour * 3600 + minute * 60 + second) * 1_000_000 + fraction - form.zoneMicros;
    return isMoment(this.micros);
  }

  /** Days since 1970 of the date at `at`; nearly always that of the line before. */
  private dayAt(bytes: Uint8Array, at: number, form: TimeForm): number {
    const { date } = this;
    let same = !Number.isNaN(this.day);
    for (let index = 0; same && index < 10; index++) same = bytes[at + index] === date[index];
    if (same) return bytes[at + 4] === form.separator ? this.day : NaN;
    if (bytes[at + 4] !== form.separator || bytes[at + 7] !== form.separator) return NaN;
    const year = two(bytes, at) * 100 + two(bytes, at + 2);
    const month = two(bytes, at + 5);
    const dayOfMonth = two(bytes, at + 8);
    if (!(year >= 0 && month >= 1 && month <= 12 && dayOfMonth >= 1)) return NaN;
    const moment = new Date(Date.UTC(year, month - 1, dayOfMonth));
    // Years before 100 are taken for others, and there is no 31 June.
    if (moment.getUTCDate() !== dayOfMonth || moment.getUTCFullYear() !== year) return NaN;
    this.day = moment.getTime() / 86_400_000;
    date.set(bytes.subarray(at, at + 10));
    return this.day;
  }

  private levelAt(bytes: Uint8Array, from: number, to: number): number {
    if (to - from > 6) return levelCode(latin(bytes, from, to));
    let key = 1;
    for (let at = from; at < to; at++) key = key * 256 + bytes[at]!;
    let code = this.levels.get(key);
    if (code === undefined) {
      code = levelCode(latin(bytes, from, to));
      if (this.levels.size < 1000) this.levels.set(key, code);
    }
    return code;
  }
}

const latin = (bytes: Uint8Array, from: number, to: number): string =>
  String.fromCharCode(...bytes.subarray(from, to));

/** The number of two digits at `at`, or NaN. */
function two(bytes: Uint8Array, at: number): number {
  const tens = bytes[at]! - 48;
  const ones = bytes[at + 1]! - 48;
  return tens >= 0 && tens <= 9 && ones >= 0 && ones <= 9 ? tens * 10 + ones : NaN;
}

/** End of the number, `true`, `false` or `null` at `at`, or -1 where there is none. */
function bareEnd(bytes: Uint8Array, from: number, to: number): number {
  let at = from;
  const first = bytes[at]!;
  if (first === 116) return word(bytes, at, to, 'true');
  if (first === 102) return word(bytes, at, to, 'false');
  if (first === 110) return word(bytes, at, to, 'null');
  if (first === 45) at++;
  const digits = at;
  while (at < to && bytes[at]! >= 48 && bytes[at]! <= 57) at++;
  // A number of several digits does not begin with 0.
  if (at === digits || (bytes[digits] === 48 && at > digits + 1)) return -1;
  if (bytes[at] === 46) {
    const decimals = ++at;
    while (at < to && bytes[at]! >= 48 && bytes[at]! <= 57) at++;
    if (at === decimals) return -1;
  }
  if (bytes[at] === 101 || bytes[at] === 69) {
    at++;
    if (bytes[at] === 43 || bytes[at] === 45) at++;
    const exponent = at;
    while (at < to && bytes[at]! >= 48 && bytes[at]! <= 57) at++;
    if (at === exponent) return -1;
  }
  return ends(bytes, at, to) ? at : -1;
}

function word(bytes: Uint8Array, at: number, to: number, text: string): number {
  for (let index = 0; index < text.length; index++)
    if (bytes[at + index] !== text.charCodeAt(index)) return -1;
  return ends(bytes, at + text.length, to) ? at + text.length : -1;
}

/** True where a bare value may end. */
function ends(bytes: Uint8Array, at: number, to: number): boolean {
  const byte = at < to ? bytes[at]! : 44;
  return byte === 44 || byte === 125 || byte === 32 || byte === 9 || byte === 13;
}

/** What it takes to read lines of a shape by their bytes; undefined for shapes that can't be. */
function familyOf(shape: Shape, micros: number): Family | undefined {
  const textAt = shape.holes.findIndex(({ name }) => name === 'text');
  if (textAt < 0 || shape.shadows.length > 0 || shape.holes.length > MAX_HOLES) return undefined;
  if (shape.holes.some(({ quote }) => quote === 'logfmt')) return undefined;
  const time = shape.holes.findIndex(({ name }) => name === 'time');
  const format = shape.holes[time]?.format;
  // A moment that is kept as it was written, or none at all, needs the full reader.
  const form = format === undefined ? undefined : timeForm(format, micros);
  if (!form) return undefined;
  const service = shape.holes.findIndex(({ name }) => name === 'service');
  return {
    shape,
    literals: shape.literals.map(encodeUtf8),
    quoted: Uint8Array.from(shape.holes, ({ quote }) => (quote === 'json' ? 1 : 0)),
    text: textAt,
    time,
    level: shape.holes.findIndex(({ name }) => name === 'level'),
    service,
    form,
  };
}

function timeForm(format: string, micros: number): TimeForm | undefined {
  const written = formatTimestamp(micros, format);
  const none = {
    millis: false,
    digits: 0,
    separator: 0,
    join: 0,
    mark: 0,
    zone: new Uint8Array(),
    zoneMicros: 0,
  };
  if (format === 'M') return { ...none, millis: true, length: written.length };
  if (!format.startsWith('I')) return undefined;
  const digits = Number(format[4]);
  const zone = format.slice(5);
  // The offset is what the zone moves the moment by.
  const bare = timestampOfValue(written.slice(0, written.length - zone.length));
  return {
    millis: false,
    length: written.length,
    digits,
    separator: format.charCodeAt(1),
    join: format.charCodeAt(2),
    mark: format.charCodeAt(3),
    zone: encodeUtf8(zone),
    zoneMicros: bare ? bare.micros - micros : 0,
  };
}
