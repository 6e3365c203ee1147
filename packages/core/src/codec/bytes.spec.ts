import fc from 'fast-check';
import { ByteReader, ByteWriter, decodeUtf8 } from './bytes.js';

describe('bytes', () => {
  it('give back every number and text that was written, in order', () => {
    const value = fc.oneof(
      fc.maxSafeNat().map((number) => ({ kind: 'varint' as const, number })),
      fc
        .integer({ min: -(2 ** 52), max: 2 ** 52 - 1 })
        .map((number) => ({ kind: 'zigzag' as const, number })),
      fc.string({ unit: 'grapheme' }).map((text) => ({ kind: 'string' as const, text })),
      fc.nat(255).map((number) => ({ kind: 'u8' as const, number })),
    );
    fc.assert(
      fc.property(fc.array(value), (values) => {
        const out = new ByteWriter();
        for (const one of values) {
          if (one.kind === 'string') out.string(one.text);
          else out[one.kind](one.number);
        }
        const input = new ByteReader(out.finish());
        for (const one of values) {
          if (one.kind === 'string') expect(input.string()).toBe(one.text.toWellFormed());
          else expect(input[one.kind]()).toBe(one.number);
        }
      }),
    );
  });

  it.each([NaN, Infinity, -Infinity, -1, 1e300])('refuse %s where a whole number belongs', (number) => {
    expect(() => new ByteWriter().varint(number)).toThrow(RangeError);
    if (number > 0) expect(() => new ByteWriter().distances(Float64Array.of(number), 0)).toThrow(RangeError);
  });

  it('write texts as JSON has them, whatever is in them', () => {
    const text = fc.oneof(
      fc.string({ unit: 'binary' }),
      fc.string({ unit: fc.constantFrom('a', '"', '\\', '\n', '\u007f', 'é', '\ud800') }),
    );
    fc.assert(
      fc.property(fc.array(text), (texts) => {
        const out = new ByteWriter();
        for (const one of texts) out.quoted(one);
        expect(decodeUtf8(out.finish())).toBe(texts.map((one) => JSON.stringify(one)).join(''));
      }),
    );
  });

  it('that end too early are an error, not a wrong value', () => {
    expect(() => new ByteReader(Uint8Array.of(0x80)).varint()).toThrow('ends too early');
    expect(() => new ByteReader(Uint8Array.of(5, 65)).string()).toThrow('ends too early');
  });
});
