import { Arrivals } from './arrivals.js';

/** The marks of sizes that are seen five seconds apart. */
function marksOf(...sizes: number[]): number[] {
  const arrivals = new Arrivals();
  return sizes.map((size, at) => arrivals.markOf('live', size, at * 5000));
}

describe('what has come in', () => {
  it('is news when there is markedly more, and once more when it is over', () => {
    expect(marksOf(0, 50_000, 55_000, 100_000, 150_000, 160_000, 160_300, 160_600)).toEqual([
      0, 1, 2, 3, 4, 4, 5, 5,
    ]);
  });

  it('is none while everyday life goes on, however long', () => {
    const sizes = Array.from({ length: 1000 }, (_, at) => 100_000 + at * 400);
    expect(new Set(marksOf(...sizes))).toEqual(new Set([0]));
  });

  it('is none where nothing changes, or less is held than before', () => {
    expect(marksOf(90_000, 90_000, 10_000, 10_000)).toEqual([0, 0, 0, 0]);
  });

  it('tells data sets apart, and no rate from two looks in one moment', () => {
    const arrivals = new Arrivals();
    arrivals.markOf('live', 0, 0);
    arrivals.markOf('kept', 70_000, 0);
    expect(arrivals.markOf('live', 5, 1)).toBe(0);
    expect(arrivals.markOf('live', 60_000, 5000)).toBe(1);
    expect(arrivals.markOf('kept', 70_000, 5000)).toBe(0);
  });
});
