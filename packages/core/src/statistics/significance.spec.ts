import { differenceP, discoveries, logGamma, normalTail, ratioInterval } from './significance.js';

describe('significance', () => {
  it('knows the gamma function', () => {
    // Γ(5) = 24, Γ(1/2) = √π.
    expect(logGamma(5)).toBeCloseTo(Math.log(24), 10);
    expect(logGamma(0.5)).toBeCloseTo(Math.log(Math.sqrt(Math.PI)), 10);
  });

  it('tests small tables exactly, as Fisher did his tea tasting', () => {
    // Three of four cups told rightly: 34/70; all four: 2/70 on both sides.
    expect(differenceP(3, 4, 1, 4)).toBeCloseTo(34 / 70, 9);
    expect(differenceP(4, 4, 0, 4)).toBeCloseTo(2 / 70, 9);
    expect(differenceP(0, 0, 3, 9)).toBe(1);
  });

  it('tests large tables by likelihood', () => {
    // G of 60/100 against 40/100, by hand: 2·(60·ln(60/50)·2 + 40·ln(40/50)·2) = 8.0545, p = 0.00454.
    expect(differenceP(60, 100, 40, 100)).toBeCloseTo(0.00454, 4);
    expect(differenceP(500, 1000, 500, 1000)).toBeCloseTo(1, 5);
  });

  it('knows the tail of the normal distribution', () => {
    expect(normalTail(1.96)).toBeCloseTo(0.025, 4);
    expect(normalTail(-1.6449)).toBeCloseTo(0.95, 4);
    expect(normalTail(0)).toBeCloseTo(0.5, 6);
  });

  it('finds what stands among many tests (the example of Benjamini and Hochberg)', () => {
    const p = [
      0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344, 0.0459, 0.324, 0.4262, 0.5719, 0.6528,
      0.759, 1,
    ];
    expect(discoveries(p).filter(Boolean)).toHaveLength(4);
    expect(discoveries([])).toEqual([]);
  });

  it('gives the limits of a ratio', () => {
    const [low, high] = ratioInterval(60, 100, 40, 100);
    expect(low).toBeCloseTo(1.5 * Math.exp(-1.96 * Math.sqrt(1 / 60 - 1 / 100 + 1 / 40 - 1 / 100)), 9);
    expect(high * low).toBeCloseTo(1.5 ** 2, 9);
    expect(ratioInterval(5, 100, 0, 100)[1]).toBeGreaterThan(10);
  });
});
