import type { IntakeProblem } from '@flail/contract';
import { binaryKind } from '@flail/core';
import type { Readable } from 'node:stream';
import { constants, createGunzip } from 'node:zlib';
import { Problem } from '../problems/problem.js';

/** The bytes of a body as they are. */
export async function* bytesAsTheyCome(body: Readable): AsyncGenerator<Uint8Array> {
  for await (const chunk of body) yield chunk as Buffer;
}

/** The bytes of a body, unpacked where they are gzip (by its first two bytes, whatever the header says). */
export async function* plainChunks(body: Readable): AsyncGenerator<Uint8Array> {
  const iterator = body[Symbol.asyncIterator]() as AsyncIterator<Buffer>;
  let first = await iterator.next();
  // The magic number may be spread over the first chunks.
  while (!first.done && first.value.length < 4) {
    const next = await iterator.next();
    if (next.done) break;
    first = { done: false, value: Buffer.concat([first.value, next.value]) };
  }
  if (first.done) return;
  const start = first.value;
  const chunks = async function* (): AsyncGenerator<Buffer> {
    yield start;
    for (let next = await iterator.next(); !next.done; next = await iterator.next()) yield next.value;
  };
  if (start[0] !== 0x1f || start[1] !== 0x8b) {
    yield* textOnly(chunks());
    return;
  }
  const unpack = createGunzip({ chunkSize: 256 * 1024, finishFlush: constants.Z_FINISH });
  const { Readable: NodeReadable, pipeline } = await import('node:stream');
  pipeline(NodeReadable.from(chunks()), unpack, () => undefined);
  yield* textOnly(unpack as AsyncIterable<Buffer>);
}

/** Turns away what can't be a log by its first bytes. */
async function* textOnly(chunks: AsyncIterable<Buffer>): AsyncGenerator<Uint8Array> {
  let first = true;
  for await (const chunk of chunks) {
    const kind = first ? binaryKind(chunk) : undefined;
    if (kind !== undefined) {
      throw new Problem(
        415,
        'binary',
        'Not a log file',
        `This is ${kind}, not lines of text. Nothing of it was stored.`,
      );
    }
    first = false;
    yield chunk;
  }
}

/** What to tell the sender of a stream that broke. */
export function streamProblem(error: unknown): IntakeProblem {
  const code = typeof error === 'object' && error !== null && 'code' in error ? String(error.code) : '';
  const at = { count: 1, firstLine: 0 };
  if (code === 'Z_BUF_ERROR') {
    return {
      code: 'gzip-cut-off',
      message: 'The gzip data end in the middle. The lines before that place are kept.',
      ...at,
    };
  }
  if (code.startsWith('Z_')) {
    return {
      code: 'gzip-damaged',
      message: 'The gzip data are damaged. The lines before that place are kept.',
      ...at,
    };
  }
  return {
    code: 'cut-off',
    message: 'The connection ended in the middle. The lines before that place are kept.',
    ...at,
  };
}
