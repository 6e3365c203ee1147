import { once } from 'node:events';
import { crc32, createInflateRaw } from 'node:zlib';

/** Bytes that are no gzip as they should be; what came before them was given. */
export class GzipError extends Error {
  constructor(
    readonly code: 'gzip-cut-off' | 'gzip-damaged' | 'gzip-trailing',
    message: string,
  ) {
    super(message);
  }
}

const MAGIC = [0x1f, 0x8b];
const DEFLATE = 8;
/** Bits of a header that tell what else is in it. */
const FLAG = { headerCrc: 2, extra: 4, name: 8, comment: 16 };
const HEAD_BYTES = 10;
const TRAILER_BYTES = 8;
const CHUNK_BYTES = 256 * 1024;
/** Unpacked bytes that may wait for who reads them. */
const WAITING_BYTES = 4 * 1024 * 1024;

/** True for bytes that gzip data begin with. */
export const isGzip = (bytes: Uint8Array): boolean => MAGIC.every((byte, at) => bytes[at] === byte);

/**
 * Unpacks gzip data (RFC 1952), of one member or of several. All that can be unpacked is given; then, where the
 * data are cut off, damaged, or followed by something else, it throws a `GzipError`. The stream that ships with the
 * language gives nothing of a piece in which it meets something that is wrong.
 */
export async function* gunzipped(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const input = new Input(chunks);
  for (let member = 0; ; member++) {
    const first = await input.peek(MAGIC.length);
    // Some writers fill up with noughts.
    if (first.length === 0 || (member > 0 && (await input.onlyNoughts()))) return;
    if (!isGzip(first)) {
      if (member === 0) throw cutOff();
      const bytes = await input.countRest();
      throw new GzipError(
        'gzip-trailing',
        `Behind the gzip data stand ${bytes.toLocaleString('en')} bytes that are none; they were left out.`,
      );
    }
    await skipHeader(input);
    yield* unpacked(input);
  }
}

async function skipHeader(input: Input): Promise<void> {
  const head = await input.take(HEAD_BYTES);
  if (head[2] !== DEFLATE) throw damaged();
  const flags = head[3]!;
  if ((flags & FLAG.extra) !== 0) {
    const length = await input.take(2);
    await input.take(length[0]! | (length[1]! << 8));
  }
  for (const flag of [FLAG.name, FLAG.comment])
    if ((flags & flag) !== 0) while ((await input.take(1))[0] !== 0);
  if ((flags & FLAG.headerCrc) !== 0) await input.take(2);
}

/** The bytes of one member; checks them against its trailer. */
async function* unpacked(input: Input): AsyncGenerator<Uint8Array> {
  const inflate = createInflateRaw({ chunkSize: CHUNK_BYTES });
  const ready: Buffer[] = [];
  let waiting = 0;
  let over = false;
  let fault: unknown;
  let wake = (): void => undefined;
  const changed = (): Promise<void> => new Promise((resolve) => (wake = resolve));
  inflate.on('data', (bytes: Buffer) => {
    ready.push(bytes);
    waiting += bytes.length;
    if (waiting > WAITING_BYTES) inflate.pause();
    wake();
  });
  inflate.on('end', () => {
    over = true;
    wake();
  });
  inflate.on('error', (error) => {
    fault = (error as NodeJS.ErrnoException).code === 'Z_BUF_ERROR' ? cutOff() : damaged();
    over = true;
    wake();
  });
  const feeding = feed(input, inflate, () => over).catch((error: unknown) => {
    fault ??= error;
    over = true;
    wake();
  });
  let crc = 0;
  let size = 0;
  try {
    for (;;) {
      const next = ready.shift();
      if (next) {
        waiting -= next.length;
        crc = crc32(next, crc);
        size += next.length;
        yield next;
        continue;
      }
      if (over) break;
      const change = changed();
      inflate.resume();
      await change;
    }
    await feeding;
    if (fault) throw fault as Error;
  } finally {
    over = true;
    inflate.destroy();
  }
  const trailer = Buffer.from(await input.take(TRAILER_BYTES));
  if (trailer.readUInt32LE(0) !== crc || trailer.readUInt32LE(4) !== size % 2 ** 32) throw damaged();
}

/** Hands bytes over until the data end; what is behind them is given back. */
async function feed(
  input: Input,
  inflate: ReturnType<typeof createInflateRaw>,
  isOver: () => boolean,
): Promise<void> {
  while (!isOver()) {
    const chunk = await input.next();
    if (!chunk) {
      inflate.end();
      return;
    }
    const before = inflate.bytesWritten;
    const stop = new AbortController();
    const ended = once(inflate, 'end', { signal: stop.signal }).catch(() => undefined);
    await Promise.race([new Promise<void>((written) => inflate.write(chunk, () => written())), ended]);
    stop.abort();
    const used = inflate.bytesWritten - before;
    if (used < chunk.length) {
      input.putBack(chunk.subarray(used));
      return;
    }
  }
}

const cutOff = (): GzipError =>
  new GzipError('gzip-cut-off', 'The gzip data end in the middle. The lines before that place are kept.');
const damaged = (): GzipError =>
  new GzipError('gzip-damaged', 'The gzip data are damaged. The lines before that place are kept.');

/** Bytes that come in pieces. */
class Input {
  private readonly chunks: AsyncIterator<Uint8Array>;
  private held: Uint8Array[] = [];

  constructor(chunks: AsyncIterable<Uint8Array>) {
    this.chunks = chunks[Symbol.asyncIterator]();
  }

  /** The next piece that is not empty; undefined at the end. */
  async next(): Promise<Uint8Array | undefined> {
    const held = this.held.shift();
    if (held) return held;
    for (;;) {
      const next = await this.chunks.next();
      if (next.done) return undefined;
      if (next.value.length > 0) return next.value;
    }
  }

  putBack(bytes: Uint8Array): void {
    if (bytes.length > 0) this.held.unshift(bytes);
  }

  /** So many bytes, or as many as there are, without taking them. */
  async peek(length: number): Promise<Uint8Array> {
    const pieces: Uint8Array[] = [];
    let bytes = 0;
    while (bytes < length) {
      const piece = await this.next();
      if (!piece) break;
      pieces.push(piece);
      bytes += piece.length;
    }
    const all = pieces.length === 1 ? pieces[0]! : Buffer.concat(pieces);
    this.putBack(all);
    return all.subarray(0, length);
  }

  async take(length: number): Promise<Uint8Array> {
    const bytes = await this.peek(length);
    if (bytes.length < length) throw cutOff();
    const [first, ...others] = this.held;
    this.held = others;
    if (first) this.putBack(first.subarray(length));
    return bytes;
  }

  /** True where only noughts are left; then they are taken. */
  async onlyNoughts(): Promise<boolean> {
    const pieces: Uint8Array[] = [];
    for (let piece = await this.next(); piece; piece = await this.next()) {
      pieces.push(piece);
      if (piece.some((byte) => byte !== 0)) {
        this.held.unshift(...pieces);
        return false;
      }
    }
    return true;
  }

  async countRest(): Promise<number> {
    let bytes = 0;
    for (let piece = await this.next(); piece; piece = await this.next()) bytes += piece.length;
    return bytes;
  }
}
