import { plainBytes } from '../codec/bytes.js';
import type { Codec } from '../codec/codec.js';

const STORED = 0;
const COMPRESSED = 1;

/** A column's bytes as they are stored, with the checksum that guards them. */
export interface Block {
  bytes: Uint8Array;
  crc: number;
}

/** A block that does not hold what was written. */
export class BrokenBlockError extends Error {
  readonly code = 'broken-block';

  constructor(
    readonly column: string,
    /** Key of the segment, where it is known. */
    readonly segment?: string,
  ) {
    super(`The column ${column} of a stored block is damaged: its checksum does not match.`);
  }
}

/** Compresses where that gains at least 5%, and seals with a checksum. */
export function sealBlock(raw: Uint8Array, codec: Codec): Block {
  const packed = codec.compress(raw);
  const compressed = packed.length < raw.length * 0.95;
  const body = compressed ? packed : raw;
  const bytes = new Uint8Array(body.length + 1);
  bytes[0] = compressed ? COMPRESSED : STORED;
  bytes.set(body, 1);
  return { bytes, crc: codec.crc32(bytes) };
}

/** Checks and unpacks a block; what comes out is plain, whatever the database or the codec hands over. */
export function openBlock(bytes: Uint8Array, crc: number, column: string, codec: Codec): Uint8Array {
  if (codec.crc32(bytes) !== crc) throw new BrokenBlockError(column);
  const body = bytes.subarray(1);
  return plainBytes(bytes[0] === COMPRESSED ? codec.decompress(body) : body);
}
