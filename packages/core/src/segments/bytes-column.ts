import { ByteReader, ByteWriter, encodeUtf8 } from '../codec/bytes.js';
import type { Trigrams } from './trigrams.js';

const encoder = new TextEncoder();

/** Values one behind another, as bytes: what a column gathers before it is sealed. No value becomes an object. */
export class BytesColumn {
  bytes = new Uint8Array(64);
  /** Where each value ends. */
  ends = new Uint32Array(16);
  count = 0;
  length = 0;

  append(source: Uint8Array, from: number, to: number): void {
    const size = to - from;
    const { length } = this;
    if (length + size > this.bytes.length) this.grow(size);
    const { bytes } = this;
    // Most values are shorter than what a call to copy them costs.
    if (size > 64) bytes.set(source.subarray(from, to), length);
    else for (let at = 0; at < size; at++) bytes[length + at] = source[from + at]!;
    if (this.count === this.ends.length) this.growEnds();
    this.length = length + size;
    this.ends[this.count++] = length + size;
  }

  appendText(text: string): void {
    const { length } = this;
    if (length + text.length * 3 > this.bytes.length) this.grow(text.length * 3);
    const { bytes } = this;
    let at = 0;
    if (text.length < 40) {
      for (; at < text.length; at++) {
        const code = text.charCodeAt(at);
        if (code > 127) break;
        bytes[length + at] = code;
      }
      if (at === text.length) {
        this.end(length + at);
        return;
      }
    }
    this.end(length + encoder.encodeInto(text, bytes.subarray(length)).written);
  }

  startOf(index: number): number {
    return index === 0 ? 0 : this.ends[index - 1]!;
  }

  /** Forgets the values and keeps the room they took. */
  clear(): void {
    this.count = this.length = 0;
  }

  private end(length: number): void {
    if (this.count === this.ends.length) this.growEnds();
    this.length = length;
    this.ends[this.count++] = length;
  }

  private growEnds(): void {
    const grown = new Uint32Array(this.count * 2);
    grown.set(this.ends);
    this.ends = grown;
  }

  private grow(more: number): void {
    const grown = new Uint8Array(Math.max(this.bytes.length * 2, this.length + more));
    grown.set(this.bytes.subarray(0, this.length));
    this.bytes = grown;
  }
}

/**
 * Forms in which a column of values is stored, each the smallest that gives every value back exactly.
 *
 * constant: all alike; dictionary: few different ones; number: integers or decimals with the same count
 * of decimals, between a common prefix and suffix (`250ms`, `SL-10422`); hex: packed digits with dashes
 * at common places (identifiers, UUIDs); raw: anything (by lengths in characters in segments of version 1,
 * in bytes since); services: a dictionary whose codes are those of the services of the records, and not
 * written again.
 */
export const FORM = {
  constant: 0,
  dictionary: 1,
  number: 2,
  hex: 3,
  rawCharacters: 4,
  raw: 5,
  services: 6,
} as const;

/** When nearly all of the first so many values differ, the rest is not looked at. */
const PROBE = 1000;
const MAX_DICTIONARY = 65_536;
/** Numbers of which there are so few different ones are smaller as a dictionary. */
const FEW_NUMBERS = 16;

/** Notes what sequences of characters the values hold; `encoded` is the column as it was written. */
export function noteTrigrams(trigrams: Trigrams, column: BytesColumn, encoded: Uint8Array): void {
  let at = 0;
  while (encoded[at]! >= 0x80) at++;
  const form = encoded[at + 1];
  if (form === FORM.hex) {
    // All there are will be there.
    trigrams.addHex();
    return;
  }
  const { bytes, ends, count } = column;
  const found = form === FORM.constant || form === FORM.dictionary ? distinct(column, count) : undefined;
  if (found) for (const first of found.firsts) trigrams.add(bytes, column.startOf(first), ends[first]!);
  else for (let index = 0; index < count; index++) trigrams.add(bytes, column.startOf(index), ends[index]!);
}

/** Writes a column; `order` tells which value comes first, second, … where they are not stored as they came. */
export function encodeColumn(column: BytesColumn, order?: Uint32Array): Uint8Array {
  const out = new ByteWriter();
  writeColumn(out, column, order);
  return out.finish();
}

export function writeColumn(out: ByteWriter, column: BytesColumn, order?: Uint32Array): void {
  const { count } = column;
  out.varint(count);
  const found = distinct(column, Math.max(1, Math.min(MAX_DICTIONARY, count >> 2)));
  if (found && found.firsts.length === 1) {
    out.u8(FORM.constant);
    writeValue(out, column, 0);
    return;
  }
  const number = found && found.firsts.length <= FEW_NUMBERS ? undefined : numberForm(column, found);
  if (number) {
    writeNumbers(out, number, order);
    return;
  }
  if (found) writeDictionary(out, column, found, order);
  else if (!writeHex(out, column, order)) writeRaw(out, column, order);
}

function writeValue(out: ByteWriter, column: BytesColumn, index: number): void {
  const from = column.startOf(index);
  const to = column.ends[index]!;
  out.varint(to - from);
  out.append(column.bytes.subarray(from, to));
}

export interface DistinctValues {
  /** Index of the first value of each kind. */
  firsts: number[];
  /** For each value the kind that it is of. */
  codes: Uint32Array;
}

/** Table for finding values by their hash; used by one column after another. */
let slots = new Int32Array(1024);
let codesOf = new Uint32Array(1024);

/** The different values of a column, or undefined when there are more than so many. */
export function distinct(column: BytesColumn, limit: number): DistinctValues | undefined {
  const { bytes, ends, count } = column;
  let size = 1024;
  while (size < Math.min(limit, count) * 3) size *= 2;
  if (slots.length < size) slots = new Int32Array(size);
  slots.fill(-1, 0, size);
  if (codesOf.length < count) codesOf = new Uint32Array(count * 2);
  const mask = size - 1;
  const firsts: number[] = [];
  let start = 0;
  let before = -1;
  for (let index = 0; index < count; index++) {
    const end = ends[index]!;
    // The value before comes again more often than not.
    if (before >= 0 && same(column, before, start, end)) {
      codesOf[index] = codesOf[before]!;
      start = end;
      continue;
    }
    let hash = 0x811c9dc5;
    for (let at = start; at < end; at++) hash = Math.imul(hash ^ bytes[at]!, 0x01000193);
    let slot = (hash ^ (hash >>> 15)) & mask;
    for (;;) {
      const known = slots[slot]!;
      if (known < 0) {
        if (firsts.length >= limit || (firsts.length >= PROBE && index < PROBE * 1.05)) return undefined;
        slots[slot] = firsts.length;
        codesOf[index] = firsts.length;
        firsts.push(index);
        break;
      }
      if (same(column, firsts[known]!, start, end)) {
        codesOf[index] = known;
        break;
      }
      slot = (slot + 1) & mask;
    }
    before = index;
    start = end;
  }
  return { firsts, codes: codesOf };
}

function same({ bytes, ends }: BytesColumn, index: number, start: number, end: number): boolean {
  const from = index === 0 ? 0 : ends[index - 1]!;
  if (ends[index]! - from !== end - start) return false;
  for (let at = start, other = from; at < end; at++, other++) if (bytes[at] !== bytes[other]) return false;
  return true;
}

function writeDictionary(
  out: ByteWriter,
  column: BytesColumn,
  { firsts, codes }: DistinctValues,
  order?: Uint32Array,
): void {
  out.u8(FORM.dictionary);
  out.varint(firsts.length);
  for (const first of firsts) writeValue(out, column, first);
  const wide = firsts.length > 256;
  for (let at = 0; at < column.count; at++) {
    const code = codes[order ? order[at]! : at]!;
    out.u8(code & 0xff);
    if (wide) out.u8(code >> 8);
  }
}

function writeRaw(out: ByteWriter, column: BytesColumn, order?: Uint32Array): void {
  const { bytes, ends, count, length } = column;
  out.u8(FORM.raw);
  for (let at = 0; at < count; at++) {
    const index = order ? order[at]! : at;
    out.varint(ends[index]! - column.startOf(index));
  }
  if (!order) out.append(bytes.subarray(0, length));
  else for (const index of order) out.append(bytes.subarray(column.startOf(index), ends[index]));
}

/** A dictionary without its codes, where they are those of the records' services; otherwise the column as it is. */
export function withoutServices(encoded: Uint8Array, services: Uint8Array): Uint8Array {
  const codesAt = encoded.length - services.length;
  const formAt = encoded.findIndex((byte) => byte < 0x80) + 1;
  if (encoded[formAt] !== FORM.dictionary || codesAt <= formAt) return encoded;
  const input = new ByteReader(encoded);
  if (input.varint() !== services.length) return encoded;
  input.u8();
  for (let left = input.varint(); left > 0; left--) input.take(input.varint());
  if (input.at !== codesAt) return encoded;
  for (let row = 0; row < services.length; row++)
    if (encoded[codesAt + row] !== services[row]) return encoded;
  const shorter = encoded.slice(0, codesAt);
  shorter[formAt] = FORM.services;
  return shorter;
}

interface NumberForm {
  prefix: Uint8Array;
  suffix: Uint8Array;
  decimals: number;
  width: number;
  numbers: Float64Array;
}

const isDigit = (byte: number): boolean => byte >= 48 && byte <= 57;
const LARGEST = 2 ** 51;

/** Common form of all values as numbers; undefined when any would not come back as it was. */
function numberForm(column: BytesColumn, found: DistinctValues | undefined): NumberForm | undefined {
  const { bytes, ends, count } = column;
  if (count === 0) return undefined;
  const end = ends[0]!;
  let suffixAt = end;
  while (suffixAt > 0 && !isDigit(bytes[suffixAt - 1]!)) suffixAt--;
  if (suffixAt === 0 || end - suffixAt > 24) return undefined;
  let from = suffixAt;
  while (from > 0 && isDigit(bytes[from - 1]!)) from--;
  let decimals = 0;
  if (from > 1 && bytes[from - 1] === 46 && isDigit(bytes[from - 2]!)) {
    decimals = suffixAt - from;
    from -= 2;
    while (from > 0 && isDigit(bytes[from - 1]!)) from--;
  }
  // Behind other characters a dash is one of them, not a sign.
  const signed = from === 1 && bytes[0] === 45;
  const prefixEnd = signed ? 0 : from;
  if (prefixEnd > 40 || decimals > 15) return undefined;
  const whole = suffixAt - from - (decimals > 0 ? decimals + 1 : 0);
  const form: NumberForm = {
    prefix: bytes.slice(0, prefixEnd),
    suffix: bytes.slice(suffixAt, end),
    decimals,
    width: !signed && ofOneLength(ends, count) ? whole : 0,
    numbers: new Float64Array(count),
  };
  const read = found ? readDistinct(column, form, found) : readNumbers(column, form);
  return read ? form : undefined;
}

// Each loop stands in a function of its own: together they were compiled anew with every segment.

function ofOneLength(ends: Uint32Array, count: number): boolean {
  const length = ends[0]!;
  for (let index = 1; index < count; index++) if (ends[index]! - ends[index - 1]! !== length) return false;
  return true;
}

/** Reads all values as numbers; false when one is none. */
function readNumbers(column: BytesColumn, form: NumberForm): boolean {
  const { numbers } = form;
  for (let index = 0; index < numbers.length; index++) {
    const number = numberAt(column, index, form);
    if (Number.isNaN(number)) return false;
    numbers[index] = number;
  }
  return true;
}

/** The same where values repeat: equal ones are read once. */
function readDistinct(column: BytesColumn, form: NumberForm, { firsts, codes }: DistinctValues): boolean {
  const { numbers } = form;
  const read = new Float64Array(firsts.length);
  for (let code = 0; code < read.length; code++) {
    const number = numberAt(column, firsts[code]!, form);
    if (Number.isNaN(number)) return false;
    read[code] = number;
  }
  for (let index = 0; index < numbers.length; index++) numbers[index] = read[codes[index]!]!;
  return true;
}

/** A value as a scaled integer, or NaN when it is not of the form or would be spelled otherwise. */
function numberAt(
  { bytes, ends }: BytesColumn,
  index: number,
  { prefix, suffix, decimals, width }: NumberForm,
): number {
  let at = index === 0 ? 0 : ends[index - 1]!;
  const end = ends[index]! - suffix.length;
  if (at + prefix.length >= end) return NaN;
  for (let byte = 0; byte < prefix.length; byte++) if (bytes[at++] !== prefix[byte]) return NaN;
  for (let byte = 0; byte < suffix.length; byte++) if (bytes[end + byte] !== suffix[byte]) return NaN;
  const negative = prefix.length === 0 && bytes[at] === 45;
  if (negative) at++;
  const point = decimals === 0 ? end : end - decimals - 1;
  const digits = point - at;
  if (digits < 1) return NaN;
  // Leading zeros come back only where all values have one width.
  if (width === 0 ? digits > 1 && bytes[at] === 48 : digits !== width) return NaN;
  let number = 0;
  for (; at < point; at++) {
    const digit = bytes[at]! - 48;
    if (digit < 0 || digit > 9) return NaN;
    number = number * 10 + digit;
  }
  if (decimals > 0) {
    if (bytes[point] !== 46) return NaN;
    for (at = point + 1; at < end; at++) {
      const digit = bytes[at]! - 48;
      if (digit < 0 || digit > 9) return NaN;
      number = number * 10 + digit;
    }
  }
  if (number > LARGEST) return NaN;
  // There is no minus zero among the numbers that are written.
  return negative ? (number === 0 || width > 0 ? NaN : -number) : number;
}

function writeNumbers(out: ByteWriter, form: NumberForm, order?: Uint32Array): void {
  out.u8(FORM.number);
  out.varint(form.prefix.length);
  out.append(form.prefix);
  out.varint(form.suffix.length);
  out.append(form.suffix);
  out.u8(form.decimals);
  out.u8(form.width);
  writeIntegers(out, order ? Float64Array.from(order, (index) => form.numbers[index]!) : form.numbers);
}

/** Integers as differences where they mostly rise by little, else as distance from the smallest. */
export function writeIntegers(out: ByteWriter, numbers: Float64Array): void {
  const smallest = leastOf(numbers);
  const differences = differencesAreSmaller(numbers, smallest);
  out.u8(differences ? 1 : 0);
  out.zigzag(numbers.length === 0 ? 0 : differences ? numbers[0]! : smallest);
  if (differences) out.differences(numbers);
  else out.distances(numbers, smallest);
}

function leastOf(numbers: Float64Array): number {
  let smallest = Infinity;
  for (let index = 0; index < numbers.length; index++)
    if (numbers[index]! < smallest) smallest = numbers[index]!;
  return smallest;
}

/** So many numbers are looked at to tell which form is smaller. */
const LOOKED_AT = 2048;

function differencesAreSmaller(numbers: Float64Array, smallest: number): boolean {
  const stride = Math.max(1, numbers.length >> 11);
  let steps = 0;
  let spread = 0;
  for (let index = 1, seen = 0; index < numbers.length && seen < LOOKED_AT; index += stride, seen++) {
    steps += Math.log2(1 + Math.abs(numbers[index]! - numbers[index - 1]!));
    spread += Math.log2(1 + numbers[index]! - smallest);
  }
  return steps < spread;
}

/** Value of a hexadecimal digit in lower case, 16 for a dash, 32 for anything else. */
const HEX = new Uint8Array(256).fill(32);
for (let digit = 0; digit < 16; digit++) HEX[digit.toString(16).charCodeAt(0)] = digit;
HEX[45] = 16;

/** Writes values that are lower-case hexadecimal, of one length, with dashes at the same places; false when they are not. */
function writeHex(out: ByteWriter, column: BytesColumn, order?: Uint32Array): boolean {
  const { bytes, ends, count } = column;
  const length = ends[0] ?? 0;
  if (count === 0 || length < 8 || length > 64) return false;
  const dashes: number[] = [];
  for (let at = 0; at < length; at++) if (bytes[at] === 45) dashes.push(at);
  const digits = length - dashes.length;
  if (digits % 2 !== 0) return false;
  // One pass reads, checks and packs; most columns that are none fail at their first values.
  const packed = new Uint8Array((count * digits) / 2);
  const half = digits / 2;
  for (let at = 0; at < count; at++) {
    const index = order ? order[at]! : at;
    let from = index === 0 ? 0 : ends[index - 1]!;
    if (ends[index]! - from !== length) return false;
    let to = at * half;
    if (dashes.length === 0) {
      for (const end = from + length; from < end; from += 2) {
        const high = HEX[bytes[from]!]!;
        const low = HEX[bytes[from + 1]!]!;
        if ((high | low) > 15) return false;
        packed[to++] = (high << 4) | low;
      }
      continue;
    }
    let dash = 0;
    let high = -1;
    for (let place = 0; place < length; place++) {
      const digit = HEX[bytes[from + place]!]!;
      if (dashes[dash] === place) {
        if (digit !== 16) return false;
        dash++;
      } else if (digit > 15) return false;
      else if (high < 0) high = digit;
      else {
        packed[to++] = (high << 4) | digit;
        high = -1;
      }
    }
  }
  out.u8(FORM.hex);
  out.u8(digits);
  out.u8(dashes.length);
  for (const dash of dashes) out.u8(dash);
  out.append(packed);
  return true;
}

/** A column of texts, for tests and small tables. */
export function columnOf(values: readonly string[]): BytesColumn {
  const column = new BytesColumn();
  for (const value of values) {
    const bytes = encodeUtf8(value);
    column.append(bytes, 0, bytes.length);
  }
  return column;
}
