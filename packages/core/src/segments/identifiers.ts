import { ByteReader, ByteWriter } from '../codec/bytes.js';
import { type BytesColumn, FORM } from './bytes-column.js';

/** Bits for each different identifier, and how many of them it sets: one in eleven others passes by mistake. */
const BITS_EACH = 5;
const BITS_SET = 3;

/** Bits of the table by which different identifiers are counted. */
const COUNTING_BITS = 1 << 18;

/**
 * Which identifiers (hexadecimal values, of which nearly each is different) a column holds: a Bloom filter
 * (1970). Asked for a whole identifier, most segments can say at once that they don't have it. It may say
 * "perhaps" wrongly, never "no".
 */
export class Identifiers {
  constructor(
    /** Length of the longest identifier, in characters. */
    readonly longest: number,
    /** Length of the longest among values that are not stored as identifiers, and not in the filter. */
    readonly others: number,
    readonly bits: Uint8Array,
  ) {}

  /** False when no value holds the phrase (in lower case). */
  mayHold(phrase: string): boolean {
    // Part of a longer value may be anything.
    if (phrase.length <= this.others || phrase.length < this.longest) return true;
    if (phrase.length > this.longest) return false;
    const hash = hashOfText(phrase);
    if (hash === undefined) return false;
    const size = this.bits.length * 8;
    if (size === 0) return false;
    for (let nth = 0; nth < BITS_SET; nth++) {
      const bit = placeOf(hash, nth, size);
      if ((this.bits[bit >> 3]! & (1 << (bit & 7))) === 0) return false;
    }
    return true;
  }
}

/** Gathers the identifiers of one column, or of several that are read together. */
export class IdentifiersBuilder {
  private hashes = new Uint32Array(1024);
  private count = 0;
  private longest = 0;
  private others = 0;

  /** Takes in a column, given also as it was written; false when it holds no identifiers, which are then the caller's to look after. */
  addIdentifiers(encoded: Uint8Array): boolean {
    const input = new ByteReader(encoded);
    const count = input.varint();
    if (input.u8() !== FORM.hex) return false;
    const digits = input.u8();
    const dashes = input.u8();
    input.take(dashes);
    const half = digits / 2;
    const packed = input.take(count * half);
    this.longest = Math.max(this.longest, digits + dashes);
    if (this.count + count > this.hashes.length) {
      const grown = new Uint32Array(Math.max(this.hashes.length * 2, this.count + count));
      grown.set(this.hashes);
      this.hashes = grown;
    }
    for (let value = 0; value < count; value++)
      this.hashes[this.count++] = hashOf(packed, value * half, (value + 1) * half);
    return true;
  }

  /** Takes note of a column whose values are no identifiers. */
  addOthers({ ends, count }: BytesColumn): void {
    for (let start = 0, index = 0; index < count; start = ends[index++]!)
      this.others = Math.max(this.others, ends[index]! - start);
  }

  build(): Identifiers {
    const hashes = this.hashes.subarray(0, this.count);
    const bits = new Uint8Array(Math.ceil((differentIn(hashes) * BITS_EACH) / 8));
    const size = bits.length * 8;
    for (const hash of hashes) {
      for (let nth = 0; nth < BITS_SET; nth++) {
        const bit = placeOf(hash, nth, size);
        bits[bit >> 3]! |= 1 << (bit & 7);
      }
    }
    return new Identifiers(this.longest, this.others, bits);
  }
}

/** About how many different hashes there are, by how many places of a table they take (linear counting, Whang 1990). */
function differentIn(hashes: Uint32Array): number {
  const taken = new Uint8Array(COUNTING_BITS / 8);
  let places = 0;
  for (const hash of hashes) {
    const bit = hash >>> 14;
    const mask = 1 << (bit & 7);
    if ((taken[bit >> 3]! & mask) !== 0) continue;
    taken[bit >> 3]! |= mask;
    places++;
  }
  const free = COUNTING_BITS - places;
  return free === 0 ? hashes.length : Math.ceil(COUNTING_BITS * Math.log(COUNTING_BITS / free));
}

function hashOf(packed: Uint8Array, from: number, to: number): number {
  let hash = 0x811c9dc5;
  for (let at = from; at < to; at++) hash = Math.imul(hash ^ packed[at]!, 0x01000193);
  // The last bytes must reach all bits.
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b);
  hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35);
  return (hash ^ (hash >>> 16)) >>> 0;
}

/** Hash of an identifier in lower case; undefined for what can't be one. */
function hashOfText(text: string): number | undefined {
  const digits = text.replaceAll('-', '');
  if (digits.length % 2 !== 0 || !/^[0-9a-f]+$/.test(digits)) return undefined;
  const packed = Uint8Array.from({ length: digits.length / 2 }, (_, at) =>
    parseInt(digits.slice(at * 2, at * 2 + 2), 16),
  );
  return hashOf(packed, 0, packed.length);
}

/** One of the places of a hash in a filter of so many bits (double hashing, Kirsch and Mitzenmacher 2006). */
const placeOf = (hash: number, nth: number, size: number): number =>
  ((hash + nth * ((Math.imul(hash, 0x9e3779b1) >>> 0) | 1)) >>> 0) % size;

/** Writes filters by name of their column. */
export function encodeIdentifiers(filters: ReadonlyMap<string, Identifiers>): Uint8Array {
  const out = new ByteWriter();
  out.varint(filters.size);
  for (const [name, { longest, others, bits }] of filters) {
    out.string(name);
    out.varint(longest);
    out.varint(others);
    out.varint(bits.length);
    out.append(bits);
  }
  return out.finish();
}

export function decodeIdentifiers(bytes: Uint8Array): Map<string, Identifiers> {
  const input = new ByteReader(bytes);
  const filters = new Map<string, Identifiers>();
  for (let left = input.varint(); left > 0; left--)
    filters.set(input.string(), new Identifiers(input.varint(), input.varint(), input.take(input.varint())));
  return filters;
}
