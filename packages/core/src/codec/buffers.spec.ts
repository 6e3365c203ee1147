import fc from 'fast-check';
import { pooled } from '../testing/memory-store.js';
import { bytesOfDoubles, decodeUint16, doublesOfBytes, encodeUint16, plainBytes, viewOf } from './bytes.js';

describe('bytes in the midst of a pool', () => {
  it('become plain: the same bytes, of which slice is a copy', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 50 }), (bytes) => {
        const plain = plainBytes(pooled(bytes));
        expect(plain).toEqual(bytes);
        const copy = plain.slice();
        plain.fill(0);
        expect(copy).toEqual(bytes);
        expect(copy.buffer.byteLength).toBe(bytes.length);
      }),
    );
  });

  it('hold whole numbers and doubles as they were written', () => {
    fc.assert(
      fc.property(fc.uint16Array(), fc.float64Array(), (wholes, doubles) => {
        expect(decodeUint16(pooled(encodeUint16(wholes)))).toEqual(wholes);
        expect(doublesOfBytes(pooled(bytesOfDoubles(doubles)))).toEqual(doubles);
      }),
    );
    expect(viewOf(pooled(encodeUint16(Uint16Array.of(7, 258)))).getUint16(2, true)).toBe(258);
    expect(() => decodeUint16(Uint8Array.of(1, 2, 3))).toThrow(RangeError);
  });
});
