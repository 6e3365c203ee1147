import { ByteReader, ByteWriter, bytesOfDoubles, doublesOfBytes } from '../codec/bytes.js';
import { writeIntegers } from '../segments/bytes-column.js';
import { readIntegers } from '../segments/value-column.js';
import type { SeriesPoints } from './series.js';

/** How the numbers of a column are written. */
const FORM = { scaled: 0, doubles: 1 } as const;
/** Decimal places that are tried. */
const MAX_DECIMALS = 6;
const LARGEST = 2 ** 51;

/** Writes the points of a series, in the order of time. */
export function encodePoints({ times, columns }: SeriesPoints): Uint8Array {
  const out = new ByteWriter();
  out.varint(times.length);
  writeIntegers(out, times);
  out.varint(columns.size);
  for (const [name, numbers] of columns) {
    out.string(name);
    writeColumn(out, numbers);
  }
  return out.finish();
}

export function decodePoints(bytes: Uint8Array): SeriesPoints {
  const input = new ByteReader(bytes);
  const count = input.varint();
  const times = readIntegers(input, count);
  const columns = new Map<string, Float64Array>();
  for (let left = input.varint(); left > 0; left--) columns.set(input.string(), readColumn(input, count));
  return { times, columns };
}

/** Which points have a number, then the numbers: whole ones after scaling where that gives every one back, else as they are. */
function writeColumn(out: ByteWriter, numbers: Float64Array): void {
  const present = numbers.filter((number) => !Number.isNaN(number));
  out.varint(present.length);
  if (present.length < numbers.length) {
    const bits = new Uint8Array(Math.ceil(numbers.length / 8));
    numbers.forEach((number, at) => {
      if (!Number.isNaN(number)) bits[at >> 3]! |= 1 << (at & 7);
    });
    out.append(bits);
  }
  for (let decimals = 0; decimals <= MAX_DECIMALS; decimals++) {
    const scaled = scaledBy(present, 10 ** decimals);
    if (!scaled) continue;
    out.u8(FORM.scaled);
    out.u8(decimals);
    writeIntegers(out, scaled);
    return;
  }
  out.u8(FORM.doubles);
  // The bytes of one place of all numbers lie together, where they are alike.
  const bytes = bytesOfDoubles(present);
  const turned = new Uint8Array(bytes.length);
  for (let at = 0; at < bytes.length; at++) turned[(at & 7) * present.length + (at >> 3)] = bytes[at]!;
  out.append(turned);
}

function scaledBy(numbers: Float64Array, factor: number): Float64Array | undefined {
  const scaled = new Float64Array(numbers.length);
  for (let at = 0; at < numbers.length; at++) {
    const whole = Math.round(numbers[at]! * factor);
    if (Math.abs(whole) > LARGEST || whole / factor !== numbers[at] || Object.is(numbers[at], -0))
      return undefined;
    scaled[at] = whole;
  }
  return scaled;
}

function readColumn(input: ByteReader, count: number): Float64Array {
  const present = input.varint();
  const bits = present < count ? input.take(Math.ceil(count / 8)) : undefined;
  const numbers = readNumbers(input, present);
  if (!bits) return numbers;
  const column = new Float64Array(count).fill(NaN);
  let next = 0;
  for (let at = 0; at < count; at++)
    if ((bits[at >> 3]! & (1 << (at & 7))) !== 0) column[at] = numbers[next++]!;
  return column;
}

function readNumbers(input: ByteReader, count: number): Float64Array {
  if (input.u8() === FORM.scaled) {
    const factor = 10 ** input.u8();
    const numbers = readIntegers(input, count);
    for (let at = 0; at < count; at++) numbers[at]! /= factor;
    return numbers;
  }
  const turned = input.take(count * 8);
  const bytes = new Uint8Array(count * 8);
  for (let at = 0; at < bytes.length; at++) bytes[at] = turned[(at & 7) * count + (at >> 3)]!;
  return doublesOfBytes(bytes);
}
