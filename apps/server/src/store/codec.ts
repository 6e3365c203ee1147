import type { Codec } from '@flail/core';
import { compress, decompress } from 'zstd-napi';
import { isUtf8 } from 'node:buffer';
import { crc32 } from 'node:zlib';

/** Zstandard at its default level. */
export const zstdCodec: Codec = {
  compress: (bytes) => compress(bytes, { compressionLevel: 3 }),
  decompress: (bytes) => decompress(bytes),
  crc32: (bytes) => crc32(bytes),
  isUtf8: (bytes) => isUtf8(bytes),
};
