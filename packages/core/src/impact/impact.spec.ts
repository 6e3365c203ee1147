import { budgetLeft, burnOf, timeLeft } from './burn.js';
import { chiSquareTail, homogeneityP, spreadOf } from './spread.js';
import { pseudoRandom } from '../testing/random.js';

const members = (...counts: [all: number, failed: number][]) =>
  counts.map(([all, failed], at) => ({ name: `i${at + 1}`, all, failed }));

describe('chi-square', () => {
  it('has the tail that tables of it give', () => {
    // Table values: 5% and 0.1% points for 1, 4 and 10 degrees of freedom.
    expect(chiSquareTail(3.841, 1)).toBeCloseTo(0.05, 4);
    expect(chiSquareTail(10.828, 1)).toBeCloseTo(0.001, 5);
    expect(chiSquareTail(9.488, 4)).toBeCloseTo(0.05, 4);
    expect(chiSquareTail(18.467, 4)).toBeCloseTo(0.001, 5);
    expect(chiSquareTail(18.307, 10)).toBeCloseTo(0.05, 4);
    // With two degrees it is exp(-x/2) exactly.
    for (const x of [0.1, 1, 5, 40]) expect(chiSquareTail(x, 2)).toBeCloseTo(Math.exp(-x / 2), 12);
    expect(chiSquareTail(0, 3)).toBe(1);
  });
});

describe('how failures spread', () => {
  it('is over one of six', () => {
    const spread = spreadOf(members([200, 0], [210, 1], [190, 60], [205, 0], [200, 1], [195, 0]));
    expect(spread.verdict).toBe('a subset');
    expect(spread.subset.map(({ name }) => name)).toEqual(['i3']);
    expect(spread.carries).toBeCloseTo(60 / 62);
  });

  it('is over two of four, the worse first', () => {
    const spread = spreadOf(members([100, 40], [100, 1], [100, 50], [100, 0]));
    expect(spread.subset.map(({ name }) => name)).toEqual(['i3', 'i1']);
  });

  it('is over all alike, however unlike their load', () => {
    expect(spreadOf(members([1000, 50], [100, 6], [500, 24])).verdict).toBe('all alike');
  });

  it('is left open where there is too little', () => {
    expect(spreadOf(members([10, 2], [10, 0])).verdict).toBe('too few');
    expect(spreadOf(members([10, 9])).verdict).toBe('too few');
    expect(spreadOf(members([10, 9], [0, 0])).verdict).toBe('too few');
    expect(homogeneityP(members([10, 10], [5, 5]))).toBe(1);
  });

  it('calls equal members a subset about as rarely as stated', () => {
    const random = pseudoRandom(7);
    let claimed = 0;
    for (let round = 0; round < 1000; round++) {
      const drawn = members(
        ...Array.from({ length: 6 }, (): [number, number] => {
          let failed = 0;
          for (let at = 0; at < 200; at++) if (random() < 0.05) failed++;
          return [200, failed];
        }),
      );
      if (spreadOf(drawn).verdict === 'a subset') claimed++;
    }
    // One in a thousand is stated; more than six of a thousand would be less likely than one in a thousand.
    expect(claimed).toBeLessThanOrEqual(6);
  });
});

describe('an error budget', () => {
  const objective = { target: 0.99, period: 30 * 86_400 };

  it('burns at one when just as much fails as may', () => {
    const [even, fast, idle] = burnOf(objective, [
      { length: 3600, all: 1000, failed: 10 },
      { length: 300, all: 100, failed: 14 },
      { length: 300, all: 0, failed: 0 },
    ]);
    expect(even!.rate).toBeCloseTo(1);
    expect(fast!.rate).toBeCloseTo(14);
    expect(idle!.rate).toBe(0);
  });

  it('is left in part, used up or overdrawn', () => {
    expect(budgetLeft(objective, { all: 10_000, failed: 25 })).toBeCloseTo(0.75);
    expect(budgetLeft(objective, { all: 10_000, failed: 100 })).toBeCloseTo(0);
    expect(budgetLeft(objective, { all: 10_000, failed: 300 })).toBeCloseTo(-2);
    expect(budgetLeft(objective, { all: 0, failed: 0 })).toBe(1);
  });

  it('lasts for as long as it burns like this', () => {
    expect(timeLeft(objective, 0.5, { rate: 2 })).toBeCloseTo(7.5 * 86_400);
    expect(timeLeft(objective, 1, { rate: 0 })).toBe(Infinity);
    expect(timeLeft(objective, -1, { rate: 3 })).toBe(0);
  });
});
