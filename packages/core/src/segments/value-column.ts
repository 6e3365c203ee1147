import { ByteReader, decodeUtf8 } from '../codec/bytes.js';
import { columnOf, encodeColumn, FORM } from './bytes-column.js';

/** Writes a column of strings. */
export const encodeValues = (values: readonly string[]): Uint8Array => encodeColumn(columnOf(values));

function numberText(scaled: number, decimals: number, width: number): string {
  if (decimals === 0) return width === 0 ? String(scaled) : String(scaled).padStart(width, '0');
  const digits = String(Math.abs(scaled)).padStart(decimals + Math.max(width, 1), '0');
  return `${scaled < 0 ? '-' : ''}${digits.slice(0, -decimals)}.${digits.slice(-decimals)}`;
}

/** Reads what `writeIntegers` wrote. */
export function readIntegers(input: ByteReader, count: number): Float64Array {
  const numbers = new Float64Array(count);
  const differences = input.u8() === 1;
  const base = input.zigzag();
  if (!differences) for (let index = 0; index < count; index++) numbers[index] = base + input.varint();
  else if (count > 0) {
    numbers[0] = base;
    for (let index = 1; index < count; index++) numbers[index] = numbers[index - 1]! + input.zigzag();
  }
  return numbers;
}

/** Numbers in half the room, where they are small enough. */
function narrowed(numbers: Float64Array): Float64Array | Int32Array {
  for (let index = 0; index < numbers.length; index++) {
    const number = numbers[index]!;
    if (number !== (number | 0)) return numbers;
  }
  return Int32Array.from(numbers);
}

/** A decoded column. */
export interface ValueColumn {
  readonly length: number;
  /** The value at an index, exactly as it stood in its line. */
  get(index: number): string;
  /** Where values repeat: the different ones, and the code (index into them) of each. */
  readonly dictionary?: { values: readonly string[]; codes: Uint8Array | Uint16Array };
  /** Where all are numbers of one form: the numbers as whole ones, and what stands around them. */
  readonly scaled?: {
    numbers: Float64Array | Int32Array;
    decimals: number;
    width: number;
    prefix: string;
    suffix: string;
    /** A number as it stood in its line. */
    spell: (number: number) => string;
  };
  /** All values one behind another with their ends, for searching text in one go. */
  readonly joined?: { text: string; ends: Uint32Array; /** The text in lower case. */ lower: () => string };
  /** Where all are packed hexadecimal of one length. */
  readonly hex?: {
    /** Marks the values that hold a phrase (in lower case). */
    mark: (phrase: string, marks: Uint8Array) => void;
    /** Which values are exactly this one: 1 for each. */
    find: (value: string) => Uint8Array;
    /** The last digits of a value as a number: equal where values are, and hardly ever where they are not. */
    key: (index: number) => number;
    /** The same of a text; NaN where no value of the column can be that. */
    keyOf: (value: string) => number;
  };
  /** Approximate size in memory. */
  readonly bytes: number;
}

/** True for a column that can only be read together with the codes of its records' services. */
export function needsServices(bytes: Uint8Array): boolean {
  const input = new ByteReader(bytes);
  input.varint();
  return input.u8() === FORM.services;
}

/** Reads a column written by `encodeValues`, or by a segment's builder, which leaves out the codes of services. */
export function decodeValues(bytes: Uint8Array, services?: Uint8Array | Uint16Array): ValueColumn {
  const input = new ByteReader(bytes);
  const length = input.varint();
  const kind = input.u8();
  switch (kind) {
    case FORM.constant: {
      const values = [input.string()];
      const codes = new Uint8Array(length);
      return { length, get: () => values[0]!, dictionary: { values, codes }, bytes: length + 100 };
    }
    case FORM.dictionary: {
      const values = Array.from({ length: input.varint() }, () => input.string());
      const codes = values.length > 256 ? new Uint16Array(length) : new Uint8Array(length);
      for (let index = 0; index < length; index++) {
        codes[index] = input.u8();
        if (values.length > 256) codes[index]! += input.u8() << 8;
      }
      return {
        length,
        get: (index) => values[codes[index]!]!,
        dictionary: { values, codes },
        bytes: codes.byteLength + values.length * 60,
      };
    }
    case FORM.services: {
      if (services?.length !== length) throw new RangeError('A column without the codes of its values.');
      const values = Array.from({ length: input.varint() }, () => input.string());
      return {
        length,
        get: (index) => values[services[index]!]!,
        dictionary: { values, codes: services },
        bytes: 100 + values.length * 60,
      };
    }
    case FORM.number: {
      const prefix = input.string();
      const suffix = input.string();
      const decimals = input.u8();
      const width = input.u8();
      const numbers = narrowed(readIntegers(input, length));
      const spell = (number: number): string => prefix + numberText(number, decimals, width) + suffix;
      return {
        length,
        get: (index) => spell(numbers[index]!),
        scaled: { numbers, decimals, width, prefix, suffix, spell },
        bytes: numbers.byteLength,
      };
    }
    case FORM.hex: {
      const digits = input.u8();
      const dashes = Array.from({ length: input.u8() }, () => input.u8());
      const packed = input.take((length * digits) / 2);
      const own = digits + dashes.length;
      return {
        hex: {
          mark: (phrase, marks) => markHex(packed, digits, own, dashes, phrase, marks),
          find: (value) => findHex(packed, digits / 2, dashes, value, length),
          key: (index) => hexKey(packed, (index * digits) / 2, digits / 2),
          keyOf: (value) => {
            const plain = value.replaceAll('-', '');
            return plain.length === digits && /^[0-9a-f]*$/.test(plain)
              ? Number.parseInt(plain.slice(-2 * KEY_BYTES), 16)
              : NaN;
          },
        },
        length,
        get: (index) => hexText(packed, (index * digits) / 2, digits / 2, dashes),
        bytes: packed.length,
      };
    }
    case FORM.rawCharacters:
    case FORM.raw: {
      const lengths = new Uint32Array(length);
      for (let index = 0; index < length; index++) lengths[index] = input.varint();
      const joined = bytes.subarray(input.at);
      const text = decodeUtf8(joined);
      let lower: string | undefined;
      const ends =
        kind === FORM.rawCharacters || text.length === joined.length
          ? sums(lengths)
          : characterEnds(joined, lengths);
      return {
        length,
        get: (index) => text.slice(index === 0 ? 0 : ends[index - 1], ends[index]),
        joined: { text, ends, lower: () => (lower ??= lowerCase(text)) },
        bytes: ends.byteLength + text.length * (text.length === joined.length ? 1 : 2),
      };
    }
    default:
      throw new RangeError(`Unknown form of a value column: ${kind}.`);
  }
}

const HEX_PAIRS = Array.from({ length: 256 }, (_, value) => value.toString(16).padStart(2, '0'));

/** Bytes that fit into a whole number of 53 bits. */
const KEY_BYTES = 6;

function hexKey(packed: Uint8Array, from: number, bytes: number): number {
  let key = 0;
  for (let at = from + Math.max(0, bytes - KEY_BYTES); at < from + bytes; at++) key = key * 256 + packed[at]!;
  return key;
}

function hexText(packed: Uint8Array, from: number, pairs: number, dashes: readonly number[]): string {
  let text = '';
  for (let index = 0; index < pairs; index++) text += HEX_PAIRS[packed[from + index]!]!;
  for (const dash of dashes) text = `${text.slice(0, dash)}-${text.slice(dash)}`;
  return text;
}

function sums(lengths: Uint32Array): Uint32Array {
  const ends = new Uint32Array(lengths.length);
  let end = 0;
  for (let index = 0; index < ends.length; index++) ends[index] = end += lengths[index]!;
  return ends;
}

/** Where values end in characters, from their lengths in bytes. */
function characterEnds(bytes: Uint8Array, lengths: Uint32Array): Uint32Array {
  const ends = new Uint32Array(lengths.length);
  let at = 0;
  let end = 0;
  for (let index = 0; index < ends.length; index++) {
    const stop = at + lengths[index]!;
    for (; at < stop; at++) {
      const byte = bytes[at]!;
      // Bytes that go on with a character count nothing; those beyond the basic plane are two units.
      if ((byte & 0xc0) !== 0x80) end += byte >= 0xf0 ? 2 : 1;
    }
    ends[index] = end;
  }
  return ends;
}

/**
 * Lower case that keeps the places of values. Where it would make a character longer, characters are taken
 * one by one.
 */
function lowerCase(text: string): string {
  const lower = text.toLowerCase();
  if (lower.length === text.length) return lower;
  return Array.from({ length: text.length }, (_, at) => {
    const one = text[at]!.toLowerCase();
    return one.length === 1 ? one : text[at]!;
  }).join('');
}

/** Marks packed values that hold a phrase, by their digits: none is written out. */
function markHex(
  packed: Uint8Array,
  digits: number,
  length: number,
  dashes: readonly number[],
  phrase: string,
  marks: Uint8Array,
): void {
  if (phrase.length > length || !/^[0-9a-f-]+$/.test(phrase)) return;
  const wanted = Uint8Array.from(phrase.replaceAll('-', ''), (digit) => parseInt(digit, 16));
  for (let at = 0; at + phrase.length <= length; at++) {
    let fits = true;
    for (let index = 0; fits && index < phrase.length; index++) {
      fits = (phrase[index] === '-') === dashes.includes(at + index);
    }
    if (!fits) continue;
    // Where the phrase would begin among the digits alone.
    const first = at - dashes.filter((dash) => dash < at).length;
    for (let value = 0, start = first; value < marks.length; value++, start += digits) {
      let same = true;
      for (let index = 0; same && index < wanted.length; index++) {
        const digit = start + index;
        const pair = packed[digit >> 1]!;
        same = ((digit & 1) === 0 ? pair >> 4 : pair & 15) === wanted[index];
      }
      if (same) marks[value] = 1;
    }
  }
}

function findHex(
  packed: Uint8Array,
  half: number,
  dashes: readonly number[],
  value: string,
  count: number,
): Uint8Array {
  const found = new Uint8Array(count);
  const digits = value.replaceAll('-', '');
  const alike =
    value.length === half * 2 + dashes.length &&
    dashes.every((dash) => value[dash] === '-') &&
    digits.length === half * 2 &&
    /^[0-9a-f]*$/.test(digits);
  if (!alike) return found;
  const wanted = Uint8Array.from({ length: half }, (_, at) => parseInt(digits.slice(at * 2, at * 2 + 2), 16));
  for (let at = 0, from = 0; at < count; at++, from += half) {
    if (packed[from] !== wanted[0]) continue;
    let byte = 1;
    while (byte < half && packed[from + byte] === wanted[byte]) byte++;
    if (byte === half) found[at] = 1;
  }
  return found;
}
