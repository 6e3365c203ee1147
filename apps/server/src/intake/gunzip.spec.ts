import fc from 'fast-check';
import { gzipSync } from 'node:zlib';
import { GzipError, gunzipped } from './gunzip.js';

/** What is unpacked of bytes that come in pieces, and what is said of them. */
async function through(bytes: Uint8Array, step: number): Promise<{ text: string; code?: string }> {
  async function* pieces(): AsyncGenerator<Uint8Array> {
    for (let at = 0; at < bytes.length; at += step)
      yield await Promise.resolve(bytes.subarray(at, at + step));
  }
  const found: Uint8Array[] = [];
  try {
    for await (const piece of gunzipped(pieces())) found.push(piece);
  } catch (error) {
    if (!(error instanceof GzipError)) throw error;
    return { text: Buffer.concat(found).toString(), code: error.code };
  }
  return { text: Buffer.concat(found).toString() };
}

/** A member with a name, a comment, further fields and a checksum of its header. */
function withHeader(text: string): Buffer {
  const plain = gzipSync(text);
  const more = Buffer.concat([
    Buffer.from([3, 0, 1, 2, 3]),
    Buffer.from('a name\0a comment\0'),
    Buffer.from([0, 0]),
  ]);
  const head = Buffer.from(plain.subarray(0, 10));
  head[3] = 2 | 4 | 8 | 16;
  return Buffer.concat([head, more, plain.subarray(10)]);
}

describe('gzip', () => {
  const text = Array.from({ length: 1500 }, (_, index) => `line ${index} ${Math.sin(index)}\n`).join('');
  const steps = [61, 4096, 10_000_000];

  it('is unpacked, of one member or of several, however it comes', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.string({ maxLength: 50 }), { minLength: 1 }),
        fc.integer({ min: 1, max: 60 }),
        async (texts, step) => {
          const bytes = Buffer.concat(texts.map((one) => gzipSync(one)));
          expect(await through(bytes, step)).toEqual({ text: Buffer.from(texts.join('')).toString() });
        },
      ),
      { numRuns: 40 },
    );
    for (const step of steps) expect(await through(withHeader(text), step)).toEqual({ text });
  }, 60_000);

  it.each(steps)(
    'gives all that is before what is wrong, in pieces of %d',
    async (step) => {
      const packed = gzipSync(text);
      const garbage = Buffer.from('this is no gzip\n');
      expect(await through(Buffer.concat([packed, garbage]), step)).toEqual({ text, code: 'gzip-trailing' });
      expect(await through(Buffer.concat([packed, Buffer.alloc(512)]), step)).toEqual({ text });
      const half = await through(packed.subarray(0, packed.length / 2), step);
      expect(half.code).toBe('gzip-cut-off');
      expect(half.text.length).toBeGreaterThan(text.length / 4);
      expect(text.startsWith(half.text)).toBe(true);
      expect(await through(packed.subarray(0, -3), step)).toEqual({ text, code: 'gzip-cut-off' });
      const flipped = Buffer.from(packed);
      flipped[flipped.length - 6]! ^= 1;
      expect(await through(flipped, step)).toEqual({ text, code: 'gzip-damaged' });
      const second = Buffer.concat([packed, Buffer.from([0x1f, 0x8b, 1, 2, 3, 4, 5, 6, 7, 8])]);
      expect(await through(second, step)).toEqual({ text, code: 'gzip-damaged' });
    },
    60_000,
  );
});
