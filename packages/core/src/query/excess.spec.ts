import { edgesOf, excessOf } from './excess.js';

const quiet = (steps: number): { total: number[]; errors: number[] } => ({
  total: Array.from({ length: steps }, (_, step) => 200 + (step % 7) * 10),
  errors: Array.from({ length: steps }, (_, step) => step % 2),
});

describe('stretches in which errors stand out', () => {
  it('are found with their edges and the usual share', () => {
    const volume = quiet(200);
    for (let step = 150; step < 160; step++) volume.errors[step] = 30;
    const [found, ...more] = excessOf(volume);
    expect(more).toEqual([]);
    expect(found).toMatchObject({ from: 150, to: 160, errors: 300 });
    expect(found!.usual).toBeCloseTo(0.5 / 230, 3);
    expect(edgesOf(volume, found!.usual)).toEqual([150, 159]);
  });

  it('are bridged over one calm step', () => {
    const volume = quiet(100);
    for (const step of [40, 41, 43, 44]) volume.errors[step] = 40;
    expect(excessOf(volume)).toMatchObject([{ from: 40, to: 45 }]);
  });

  it('are none where errors come evenly, nor in next to nothing', () => {
    expect(excessOf(quiet(500))).toEqual([]);
    expect(excessOf({ total: [5, 5], errors: [0, 5] })).toEqual([]);
    expect(excessOf({ total: [], errors: [] })).toEqual([]);
  });

  it('seldom are in noise: random errors at one rate over a thousand steps', () => {
    let state = 12345;
    const random = (): number => (state = (state * 1103515245 + 12345) % 2 ** 31) / 2 ** 31;
    let found = 0;
    for (let trial = 0; trial < 20; trial++) {
      const total = Array.from({ length: 1000 }, () => 400);
      const errors = total.map(
        (count) => Array.from({ length: count }, () => random() < 0.005).filter(Boolean).length,
      );
      found += excessOf({ total, errors }).length;
    }
    expect(found).toBeLessThanOrEqual(2);
  });
});
