import { decodeUtf8 } from '../codec/bytes.js';

/** Texts up to this are looked for among those met before. */
const SHORT = 32;
const PLACES = 4096;

/** Texts in bytes. Names and most values come again and again: they are spelled out once. */
export class Texts {
  private readonly met = new Array<string>(PLACES).fill('');

  constructor(private readonly bytes: Uint8Array) {}

  read(from: number, to: number): string {
    if (to - from > SHORT) return decodeUtf8(this.bytes.subarray(from, to));
    let hash = to - from;
    for (let at = from; at < to; at++) hash = (Math.imul(hash, 31) + this.bytes[at]!) | 0;
    const place = (hash ^ (hash >>> 12)) & (PLACES - 1);
    const met = this.met[place]!;
    if (this.is(met, from, to)) return met;
    return (this.met[place] = decodeUtf8(this.bytes.subarray(from, to)));
  }

  /** Whether a text of plain characters stands there. */
  private is(text: string, from: number, to: number): boolean {
    if (text.length !== to - from) return false;
    for (let at = 0; at < text.length; at++)
      if (text.charCodeAt(at) !== this.bytes[from + at]! || this.bytes[from + at]! > 0x7e) return false;
    return true;
  }
}
