import { ByteReader, ByteWriter, decodeUtf8, encodeUtf8 } from '../codec/bytes.js';

/**
 * A column of values, each a string, kept in the smallest form that gives every string back exactly.
 *
 * constant: all alike; dictionary: few different ones; number: integers or decimals with the same count
 * of decimals, between a common prefix and suffix (`250ms`, `SL-10422`); hex: packed digits with dashes
 * at common places (identifiers, UUIDs); raw: anything.
 */
const CONSTANT = 0;
const DICTIONARY = 1;
const NUMBER = 2;
const HEX = 3;
const RAW = 4;

/** Writes a column of strings. */
export function encodeValues(values: readonly string[]): Uint8Array {
  const out = new ByteWriter();
  out.varint(values.length);
  const distinct = distinctUpTo(values, Math.max(1, Math.min(65_536, values.length >> 2)));
  if (distinct?.size === 1) {
    out.u8(CONSTANT);
    out.string(values[0]!);
  } else if (!writeNumbers(out, values, distinct?.size) && !writeHex(out, values, distinct !== undefined)) {
    if (distinct) writeDictionary(out, values, distinct);
    else writeRaw(out, values);
  }
  return out.finish();
}

/** When nearly all of the first so many values differ, the rest is not looked at. */
const PROBE = 1000;

function distinctUpTo(values: readonly string[], limit: number): Map<string, number> | undefined {
  const codes = new Map<string, number>();
  let seen = 0;
  for (const value of values) {
    seen++;
    if (codes.has(value)) continue;
    if (codes.size >= limit || (codes.size >= PROBE && seen < PROBE * 1.05)) return undefined;
    codes.set(value, codes.size);
  }
  return codes;
}

const NUMBER_FORM = /^(.*?)(-?)(\d+)(?:\.(\d+))?(\D{0,8})$/s;

/** Common form of all values as numbers; refuses when any would not come back as it was. */
function writeNumbers(out: ByteWriter, values: readonly string[], distinct: number | undefined): boolean {
  if (values.length === 0 || (distinct !== undefined && distinct <= 16)) return false;
  const first = NUMBER_FORM.exec(values[0]!);
  if (!first) return false;
  // Behind other characters a dash is one of them, not a sign.
  const prefix = first[1] === '' ? '' : first[1]! + first[2]!;
  const decimals = first[4]?.length ?? 0;
  const suffix = first[5]!;
  if (prefix.length > 40) return false;
  const width =
    values.every((value) => value.length === values[0]!.length) && (prefix !== '' || first[2] === '')
      ? first[3]!.length
      : 0;
  const scale = 10 ** decimals;
  const numbers = new Float64Array(values.length);
  for (let index = 0; index < values.length; index++) {
    const value = values[index]!;
    if (!value.startsWith(prefix) || !value.endsWith(suffix)) return false;
    const body = value.slice(prefix.length, value.length - suffix.length);
    const scaled = Math.round(Number(body) * scale);
    if (!Number.isSafeInteger(scaled) || Math.abs(scaled) > 2 ** 51) return false;
    if (numberText(scaled, decimals, width) !== body) return false;
    numbers[index] = scaled;
  }
  out.u8(NUMBER);
  out.string(prefix);
  out.string(suffix);
  out.u8(decimals);
  out.u8(width);
  writeIntegers(out, numbers);
  return true;
}

function numberText(scaled: number, decimals: number, width: number): string {
  if (decimals === 0) return width === 0 ? String(scaled) : String(scaled).padStart(width, '0');
  const digits = String(Math.abs(scaled)).padStart(decimals + Math.max(width, 1), '0');
  return `${scaled < 0 ? '-' : ''}${digits.slice(0, -decimals)}.${digits.slice(-decimals)}`;
}

/** Integers as differences where they mostly rise by little, else as distance from the smallest. */
export function writeIntegers(out: ByteWriter, numbers: Float64Array): void {
  let smallest = Infinity;
  let spread = 0;
  let steps = 0;
  for (let index = 0; index < numbers.length; index++) {
    const value = numbers[index]!;
    if (value < smallest) smallest = value;
    if (index > 0) steps += Math.log2(1 + Math.abs(value - numbers[index - 1]!));
  }
  for (const value of numbers) spread += Math.log2(1 + value - smallest);
  const differences = steps < spread;
  out.u8(differences ? 1 : 0);
  out.zigzag(numbers.length === 0 ? 0 : differences ? numbers[0]! : smallest);
  for (let index = differences ? 1 : 0; index < numbers.length; index++) {
    if (differences) out.zigzag(numbers[index]! - numbers[index - 1]!);
    else out.varint(numbers[index]! - smallest);
  }
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

/** Lower-case hexadecimal values of one length, dashes at the same places. */
function writeHex(out: ByteWriter, values: readonly string[], repeating: boolean): boolean {
  const first = values[0];
  if (first === undefined || repeating || first.length < 8 || first.length > 64) return false;
  const dashes: number[] = [];
  for (let at = 0; at < first.length; at++) if (first[at] === '-') dashes.push(at);
  const form = new RegExp(
    `^${[...first].map((character) => (character === '-' ? '-' : '[0-9a-f]')).join('')}$`,
  );
  if ((first.length - dashes.length) % 2 !== 0 || !values.every((value) => form.test(value))) return false;
  out.u8(HEX);
  out.u8(first.length - dashes.length);
  out.u8(dashes.length);
  for (const dash of dashes) out.u8(dash);
  for (const value of values) {
    const digits = dashes.length === 0 ? value : value.replaceAll('-', '');
    for (let at = 0; at < digits.length; at += 2) out.u8(parseInt(digits.slice(at, at + 2), 16));
  }
  return true;
}

function writeCodes(out: ByteWriter, size: number, count: number, codeOf: (index: number) => number): void {
  for (let index = 0; index < count; index++) {
    const code = codeOf(index);
    out.u8(code & 0xff);
    if (size > 256) out.u8(code >> 8);
  }
}

function writeDictionary(out: ByteWriter, values: readonly string[], codes: Map<string, number>): void {
  out.u8(DICTIONARY);
  out.varint(codes.size);
  for (const value of codes.keys()) out.string(value);
  writeCodes(out, codes.size, values.length, (index) => codes.get(values[index]!)!);
}

function writeRaw(out: ByteWriter, values: readonly string[]): void {
  out.u8(RAW);
  for (const value of values) out.varint(value.length);
  out.append(encodeUtf8(values.join('')));
}

/** A decoded column. */
export interface ValueColumn {
  readonly length: number;
  /** The value at an index, exactly as it stood in its line. */
  get(index: number): string;
  /** Where values repeat: the different ones, and the code (index into them) of each. */
  readonly dictionary?: { values: readonly string[]; codes: Uint8Array | Uint16Array };
  /** All values one behind another with their ends, for searching text in one go. */
  readonly joined?: { text: string; ends: Uint32Array };
  /** Approximate size in memory. */
  readonly bytes: number;
}

/** Reads a column written by `encodeValues`. */
export function decodeValues(bytes: Uint8Array): ValueColumn {
  const input = new ByteReader(bytes);
  const length = input.varint();
  const kind = input.u8();
  switch (kind) {
    case CONSTANT: {
      const values = [input.string()];
      const codes = new Uint8Array(length);
      return { length, get: () => values[0]!, dictionary: { values, codes }, bytes: length + 100 };
    }
    case DICTIONARY: {
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
    case NUMBER: {
      const prefix = input.string();
      const suffix = input.string();
      const decimals = input.u8();
      const width = input.u8();
      const numbers = readIntegers(input, length);
      return {
        length,
        get: (index) => prefix + numberText(numbers[index]!, decimals, width) + suffix,
        bytes: numbers.byteLength,
      };
    }
    case HEX: {
      const digits = input.u8();
      const dashes = Array.from({ length: input.u8() }, () => input.u8());
      const packed = input.take((length * digits) / 2);
      return {
        length,
        get: (index) => hexText(packed, (index * digits) / 2, digits / 2, dashes),
        bytes: packed.length,
      };
    }
    case RAW: {
      const ends = new Uint32Array(length);
      let end = 0;
      for (let index = 0; index < length; index++) ends[index] = end += input.varint();
      const text = decodeUtf8(bytes.subarray(input.at));
      return {
        length,
        get: (index) => text.slice(index === 0 ? 0 : ends[index - 1], ends[index]),
        joined: { text, ends },
        bytes: ends.byteLength + text.length * 2,
      };
    }
    default:
      throw new RangeError(`Unknown form of a value column: ${kind}.`);
  }
}

const HEX_PAIRS = Array.from({ length: 256 }, (_, value) => value.toString(16).padStart(2, '0'));

function hexText(packed: Uint8Array, from: number, pairs: number, dashes: readonly number[]): string {
  let text = '';
  for (let index = 0; index < pairs; index++) text += HEX_PAIRS[packed[from + index]!]!;
  for (const dash of dashes) text = `${text.slice(0, dash)}-${text.slice(dash)}`;
  return text;
}
