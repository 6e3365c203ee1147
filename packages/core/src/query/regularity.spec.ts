import fc from 'fast-check';
import { regularityOf } from './regularity.js';
import { pseudoRandom } from '../testing/random.js';

const SECOND = 1_000_000;
const START = Date.UTC(2026, 2, 2) * 1000;

describe('regularity', () => {
  it('finds the period, the jitter and the beats missed', () => {
    const random = pseudoRandom(11);
    const missing = new Set([20, 21, 47]);
    const times = Array.from({ length: 90 }, (_, beat) => beat)
      .filter((beat) => !missing.has(beat))
      .map((beat) => START + beat * 30 * SECOND + (random() - 0.5) * 2 * SECOND);
    const found = regularityOf(times);
    expect(found.periodic).toBe(true);
    expect(found.period! / SECOND).toBeCloseTo(30, 1);
    // Even over two seconds: the standard deviation is the width over the root of twelve.
    expect(found.jitter! / SECOND).toBeCloseTo(2 / Math.sqrt(12), 1);
    expect(found.missed!.map((moment) => Math.round((moment - START) / SECOND / 30))).toEqual([20, 21, 47]);
    expect(found.beats).toBe(87);
  });

  it('sees beats among noise', () => {
    const random = pseudoRandom(5);
    const beats = Array.from({ length: 120 }, (_, beat) => START + beat * 60 * SECOND);
    const noise = Array.from({ length: 80 }, () => START + random() * 120 * 60 * SECOND);
    const found = regularityOf([...beats, ...noise].sort((a, b) => a - b));
    expect(found.period! / SECOND).toBeCloseTo(60, 0);
    expect(found.onBeat).toBeGreaterThan(0.7);
  });

  it('claims nothing about events at random times', () => {
    let claimed = 0;
    for (let seed = 1; seed <= 60; seed++) {
      const random = pseudoRandom(seed * 7919);
      const times = Array.from({ length: 150 }, () => START + random() * 3600 * SECOND).sort((a, b) => a - b);
      if (regularityOf(times).periodic) claimed++;
    }
    expect(claimed).toBe(0);
  });

  it('needs some events, spread over time', () => {
    expect(regularityOf([]).periodic).toBe(false);
    expect(regularityOf([1, 2, 3]).periodic).toBe(false);
    expect(regularityOf(new Array<number>(50).fill(START)).periodic).toBe(false);
  });

  it('finds any period of an undisturbed train', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 86_400 }),
        fc.integer({ min: 20, max: 300 }),
        (seconds, count) => {
          const found = regularityOf(
            Array.from({ length: count }, (_, beat) => START + beat * seconds * SECOND),
          );
          expect(found.period! / SECOND / seconds).toBeCloseTo(1, 3);
          expect(found.missed).toEqual([]);
        },
      ),
      { numRuns: 60 },
    );
  });
});
