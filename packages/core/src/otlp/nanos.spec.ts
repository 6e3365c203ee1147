import { pseudoRandom } from '../testing/random.js';
import { durationText, isBefore, microsText, nanosOf } from './nanos.js';

const random = pseudoRandom(7);
/** Up to the year 2255, some of few digits. */
const drawn = (): bigint =>
  BigInt(Math.floor(random() * 2 ** 31) + 1) *
  BigInt(Math.floor(random() * 2 ** (random() < 0.3 ? 4 : 31)) + 1);

describe('nanoseconds of the protocol', () => {
  it('are told as big integers tell them', () => {
    for (let round = 0; round < 3000; round++) {
      const [a, b] = [drawn(), drawn()];
      const [from, to] = [nanosOf(String(a))!, nanosOf(String(b))!];
      expect(BigInt(from.micros) * 1000n + BigInt(from.beyond)).toBe(a);
      expect(isBefore(from, to)).toBe(a < b);
      const digits = String(b < a ? a - b : b - a).padStart(7, '0');
      expect(durationText(from, to)).toBe(`${b < a ? '-' : ''}${digits.slice(0, -6)}.${digits.slice(-6)}ms`);
      const second = new Date(Number(a / 1_000_000_000n) * 1000).toISOString().slice(0, 19);
      expect(microsText(from)).toBe(`${second}.${String((a / 1000n) % 1_000_000n).padStart(6, '0')}Z`);
    }
  });

  it.each([0, -1, 1.5, 2 ** 60, '0', '', '12a', '-5', '1'.repeat(20), null, undefined, {}])(
    'are not %p',
    (value) => {
      expect(nanosOf(value)).toBeUndefined();
    },
  );

  it('may be a number', () => {
    expect(nanosOf(1_500_000_123)).toEqual({ micros: 1_500_000, beyond: 123 });
    expect(nanosOf('7')).toEqual({ micros: 0, beyond: 7 });
  });
});
