import { pseudoRandom } from '../testing/random.js';
import { leakOf } from './leak.js';

describe('a leak', () => {
  const random = pseudoRandom(9);
  const noise = (): number => random() * 2;

  it('is a steady climb, with the time to the limit', () => {
    const values = Array.from({ length: 240 }, (_, at) => 100 + at * 0.5 + noise());
    const leak = leakOf(values, 60, 512)!;
    expect(leak.slope).toBeCloseTo(0.5 / 60, 4);
    // 512 less the last minimum of some 216, at half a unit a minute.
    expect(leak.left / 60).toBeGreaterThan(560);
    expect(leak.left / 60).toBeLessThan(640);
  });

  it('is neither a tide, nor memory that is collected, nor a step, nor a trifle', () => {
    const of = (value: (at: number) => number) =>
      leakOf(
        Array.from({ length: 240 }, (_, at) => value(at) + noise()),
        60,
        512,
      );
    expect(of((at) => 200 + 100 * Math.sin(at / 38))).toBeUndefined();
    expect(of((at) => 200 + (at % 30) * 5)).toBeUndefined();
    expect(of((at) => (at < 120 ? 100 : 300))).toBeUndefined();
    expect(of((at) => 100 + at * 0.01)).toBeUndefined();
    expect(of(() => NaN)).toBeUndefined();
    expect(leakOf([], 60, 512)).toBeUndefined();
  });
});
