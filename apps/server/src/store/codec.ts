import type { Codec } from '@flail/core';
import { compress, decompress } from 'zstd-napi';
import { crc32 } from 'node:zlib';

/** Zstandard at its default level. */
export const zstdCodec: Codec = {
  compress: (bytes) => compress(bytes, { compressionLevel: 3 }),
  decompress: (bytes) => decompress(bytes),
  crc32: (bytes) => crc32(bytes),
};
