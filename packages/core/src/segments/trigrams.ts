import { ByteReader, ByteWriter } from '../codec/bytes.js';

/** Bits of a filter; more than there are trigrams of hexadecimal digits, so that identifiers leave room for words. */
const BITS = 1 << 15;
const BYTES = BITS / 8;

const LOWER = Uint8Array.from({ length: 256 }, (_, code) => (code >= 65 && code <= 90 ? code + 32 : code));

const bitOf = (a: number, b: number, c: number): number =>
  (Math.imul((a << 16) | (b << 8) | c, 0x9e3779b1) >>> 17) & (BITS - 1);

/**
 * Which sequences of three bytes the values of a column hold, in lower case: tells in a moment that a phrase
 * is in none of them. Sequences with bytes beyond ASCII are not noted, and not asked for. It may say "perhaps"
 * wrongly, never "no".
 */
export class Trigrams {
  constructor(readonly bits: Uint8Array = new Uint8Array(BYTES)) {}

  add(bytes: Uint8Array, from: number, to: number): void {
    const { bits } = this;
    let a = 0;
    let b = 0;
    for (let at = from; at < to; at++) {
      const c = LOWER[bytes[at]!]!;
      if (at - from >= 2) {
        const bit = bitOf(a, b, c);
        bits[bit >> 3]! |= 1 << (bit & 7);
      }
      // Two characters beyond ASCII have lower cases within: the Kelvin sign and the dotted capital I.
      if (c === 0xaa && b === 0x84 && a === 0xe2) this.fill();
      if (c === 0xb0 && b === 0xc4) this.fill();
      a = b;
      b = c;
    }
  }

  /** Notes all sequences of hexadecimal digits and dashes. */
  addHex(): void {
    const digits = [...'0123456789abcdef-'].map((digit) => digit.charCodeAt(0));
    for (const a of digits) {
      for (const b of digits) {
        for (const c of digits) {
          const bit = bitOf(a, b, c);
          this.bits[bit >> 3]! |= 1 << (bit & 7);
        }
      }
    }
  }

  /** False when no value holds the three bytes (in lower case). */
  mayHold(a: number, b: number, c: number): boolean {
    if ((a | b | c) > 127) return true;
    const bit = bitOf(a, b, c);
    return (this.bits[bit >> 3]! & (1 << (bit & 7))) !== 0;
  }

  /** False when no value holds the phrase, given in lower case as UTF-8. */
  mayHoldPhrase(phrase: Uint8Array): boolean {
    for (let at = 2; at < phrase.length; at++)
      if (!this.mayHold(phrase[at - 2]!, phrase[at - 1]!, phrase[at]!)) return false;
    return true;
  }

  private fill(): void {
    this.bits.fill(255);
  }
}

/** Writes filters by name. */
export function encodeTrigrams(filters: ReadonlyMap<string, Trigrams>): Uint8Array {
  const out = new ByteWriter();
  out.varint(filters.size);
  for (const [name, { bits }] of filters) {
    out.string(name);
    out.append(bits);
  }
  return out.finish();
}

export function decodeTrigrams(bytes: Uint8Array): Map<string, Trigrams> {
  const input = new ByteReader(bytes);
  const filters = new Map<string, Trigrams>();
  for (let left = input.varint(); left > 0; left--)
    filters.set(input.string(), new Trigrams(input.take(BYTES)));
  return filters;
}
