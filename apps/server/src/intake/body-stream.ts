import type { IntakeProblem } from '@flail/contract';
import { binaryKind } from '@flail/core';
import { Problem } from '../problems/problem.js';
import { GzipError, gunzipped, isGzip } from './gunzip.js';

/** Bytes by which gzip is told. */
const MAGIC_BYTES = 4;

/** Bytes that come in pieces. */
export type Pieces = AsyncIterable<Uint8Array>;

/** The bytes of a body, unpacked where they are gzip (by their first bytes, whatever the header says). */
export async function* plainChunks(body: Pieces): AsyncGenerator<Uint8Array> {
  const { first, all } = await begun(body, MAGIC_BYTES);
  yield* textOnly(isGzip(first) ? gunzipped(all) : all);
}

/** The first bytes of something that comes in pieces, so many where there are as many; and all of it. */
export async function begun(pieces: Pieces, bytes: number): Promise<{ first: Uint8Array; all: Pieces }> {
  const iterator = pieces[Symbol.asyncIterator]();
  const held: Uint8Array[] = [];
  let length = 0;
  let done = false;
  while (length < bytes && !done) {
    const next = await iterator.next();
    if (next.done) done = true;
    else {
      held.push(next.value);
      length += next.value.length;
    }
  }
  const first = held.length === 1 ? held[0]! : Buffer.concat(held);
  const all = async function* (): AsyncGenerator<Uint8Array> {
    if (first.length > 0) yield first;
    try {
      while (!done) {
        const next = await iterator.next();
        if (next.done) return;
        yield next.value;
      }
    } finally {
      await iterator.return?.();
    }
  };
  return { first, all: all() };
}

/** Turns away what can't be a log by its first bytes. */
async function* textOnly(chunks: Pieces): AsyncGenerator<Uint8Array> {
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
  const at = { count: 1, firstLine: 0 };
  if (error instanceof GzipError) return { code: error.code, message: error.message, ...at };
  return {
    code: 'cut-off',
    message: 'The connection ended in the middle. The lines before that place are kept.',
    ...at,
  };
}
