/** Compression and hashing come from outside: native on the server, anything else elsewhere. */
export interface Codec {
  compress(bytes: Uint8Array): Uint8Array;
  decompress(bytes: Uint8Array): Uint8Array;
  /** CRC-32 as of ISO 3309. */
  crc32(bytes: Uint8Array): number;
  /** True when the bytes are valid UTF-8. */
  isUtf8(bytes: Uint8Array): boolean;
}
