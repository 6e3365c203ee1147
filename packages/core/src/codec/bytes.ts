const QUOTE = 0x22;
const BACKSLASH = 0x5c;
const SPACE = 0x20;
const TILDE = 0x7e;
/** Up to this many characters are written one by one, which is quicker than to call the encoder. */
const SHORT = 64;

/** A growing buffer that columns are written into. */
export class ByteWriter {
  private bytes = new Uint8Array(256);
  length = 0;

  private reserve(more: number): void {
    if (this.length + more <= this.bytes.length) return;
    const grown = new Uint8Array(Math.max(this.bytes.length * 2, this.length + more));
    grown.set(this.bytes);
    this.bytes = grown;
  }

  u8(value: number): void {
    this.reserve(1);
    this.bytes[this.length++] = value;
  }

  /** An unsigned integer below 2^53, seven bits a byte. */
  varint(value: number): void {
    if (!(value >= 0 && value <= Number.MAX_SAFE_INTEGER))
      throw new RangeError(`${value} is no number that can be written.`);
    this.reserve(8);
    let rest = value;
    while (rest >= 0x80) {
      this.bytes[this.length++] = (rest % 0x80) | 0x80;
      rest = Math.floor(rest / 0x80);
    }
    this.bytes[this.length++] = rest;
  }

  /** A signed integer within ±2^52. */
  zigzag(value: number): void {
    this.varint(value >= 0 ? value * 2 : -value * 2 - 1);
  }

  /** Each number's distance from the one before, zigzag; the first is left out. */
  differences(numbers: Float64Array): void {
    this.reserve(numbers.length * 8);
    for (let index = 1; index < numbers.length; index++) {
      const step = numbers[index]! - numbers[index - 1]!;
      this.put(step >= 0 ? step * 2 : -step * 2 - 1);
    }
  }

  /** Each number's distance from one that is not larger. */
  distances(numbers: Float64Array, from: number): void {
    this.reserve(numbers.length * 8);
    for (let index = 0; index < numbers.length; index++) this.put(numbers[index]! - from);
  }

  /** A varint for which there is room. */
  private put(value: number): void {
    let rest = value;
    // What is no whole number would be written for ever.
    if (rest > Number.MAX_SAFE_INTEGER) throw new RangeError(`${value} is no number that can be written.`);
    // Beyond 32 bits there are no shifts.
    while (rest >= 0x80000000) {
      this.bytes[this.length++] = (rest % 0x80) | 0x80;
      rest = Math.floor(rest / 0x80);
    }
    let small = rest | 0;
    while (small >= 0x80) {
      this.bytes[this.length++] = (small & 0x7f) | 0x80;
      small >>>= 7;
    }
    this.bytes[this.length++] = small;
  }

  append(bytes: Uint8Array): void {
    this.reserve(bytes.length);
    this.bytes.set(bytes, this.length);
    this.length += bytes.length;
  }

  string(value: string): void {
    const bytes = encodeUtf8(value);
    this.varint(bytes.length);
    this.append(bytes);
  }

  /** A text as it is, without its length. */
  text(value: string): void {
    // No character takes more than three bytes for each of its units.
    this.reserve(value.length * 3);
    if (value.length <= SHORT && this.plain(value)) return;
    this.length += encoder.encodeInto(value, this.bytes.subarray(this.length)).written;
  }

  /** Writes a text for which there is room, if it is of plain characters. */
  private plain(value: string): boolean {
    const { bytes } = this;
    for (let index = 0; index < value.length; index++) {
      const code = value.charCodeAt(index);
      if (code > TILDE) return false;
      bytes[this.length + index] = code;
    }
    this.length += value.length;
    return true;
  }

  /** A text as JSON has it, in its quotes. */
  quoted(value: string): void {
    this.reserve(value.length + 2);
    const { bytes } = this;
    let at = this.length;
    bytes[at++] = QUOTE;
    for (let index = 0; index < value.length; index++) {
      const code = value.charCodeAt(index);
      if (code < SPACE || code > TILDE || code === QUOTE || code === BACKSLASH) {
        this.text(JSON.stringify(value));
        return;
      }
      bytes[at++] = code;
    }
    bytes[at++] = QUOTE;
    this.length = at;
  }

  /** Forgets what was written and keeps the room it took. */
  clear(): void {
    this.length = 0;
  }

  /** What was written, valid until the next write. */
  written(): Uint8Array {
    return this.bytes.subarray(0, this.length);
  }

  finish(): Uint8Array {
    return this.bytes.slice(0, this.length);
  }
}

/**
 * The same bytes as a plain array, without a copy. A `Buffer` is a `Uint8Array` whose `slice` is a view instead of
 * a copy, and a small one lies somewhere in a pool that others share: what comes from outside becomes plain here,
 * so that `slice` copies whatever it is called on.
 */
export function plainBytes(bytes: Uint8Array): Uint8Array {
  if (Object.getPrototypeOf(bytes) === Uint8Array.prototype) return bytes;
  return new Uint8Array(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}

/** Whole numbers of two bytes each, the lower first, as a copy. Throws where a byte is left over. */
export function decodeUint16(bytes: Uint8Array): Uint16Array {
  if (bytes.length % 2 !== 0) throw new RangeError('The block ends in the middle of a number.');
  const numbers = new Uint16Array(bytes.length / 2);
  for (let at = 0, from = 0; at < numbers.length; at++, from += 2)
    numbers[at] = bytes[from]! | (bytes[from + 1]! << 8);
  return numbers;
}

/** What `decodeUint16` reads. */
export function encodeUint16(numbers: Uint16Array): Uint8Array {
  const bytes = new Uint8Array(numbers.length * 2);
  for (let at = 0, to = 0; at < numbers.length; at++) {
    bytes[to++] = numbers[at]! & 0xff;
    bytes[to++] = numbers[at]! >> 8;
  }
  return bytes;
}

/** The bytes of numbers as they lie in memory, without a copy. */
export const bytesOfDoubles = (numbers: Float64Array): Uint8Array =>
  new Uint8Array(numbers.buffer, numbers.byteOffset, numbers.byteLength);

/** Numbers from the bytes that `bytesOfDoubles` gave, as a copy. */
export function doublesOfBytes(bytes: Uint8Array): Float64Array {
  const numbers = new Float64Array(Math.floor(bytes.length / 8));
  bytesOfDoubles(numbers).set(bytes.subarray(0, numbers.byteLength));
  return numbers;
}

/** A view by which numbers of several bytes are read where they lie. */
export const viewOf = (bytes: Uint8Array): DataView =>
  new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/** Reads what a `ByteWriter` wrote. */
export class ByteReader {
  at = 0;

  constructor(private readonly bytes: Uint8Array) {}

  u8(): number {
    if (this.at >= this.bytes.length) throw new RangeError('The block ends too early.');
    return this.bytes[this.at++]!;
  }

  varint(): number {
    let value = 0;
    let scale = 1;
    for (;;) {
      const byte = this.u8();
      value += (byte & 0x7f) * scale;
      if (byte < 0x80) return value;
      scale *= 0x80;
    }
  }

  zigzag(): number {
    const value = this.varint();
    return value % 2 === 0 ? value / 2 : -(value + 1) / 2;
  }

  take(length: number): Uint8Array {
    if (this.at + length > this.bytes.length) throw new RangeError('The block ends too early.');
    const taken = this.bytes.subarray(this.at, this.at + length);
    this.at += length;
    return taken;
  }

  string(): string {
    return decodeUtf8(this.take(this.varint()));
  }
}

const encoder = new TextEncoder();
const decoder = new TextDecoder('utf-8', { ignoreBOM: true });
export const encodeUtf8 = (text: string): Uint8Array => encoder.encode(text);
export const decodeUtf8 = (bytes: Uint8Array): string => decoder.decode(bytes);
