import { pseudoRandom } from '../testing/random.js';
import { rankSumP } from './rank-test.js';

describe('the rank sum test', () => {
  it('agrees with all arrangements counted', () => {
    // Of the C(10,5) ways to rank five of ten, those whose rank sum is as far from the middle as this.
    const [a, b] = [
      [1, 2, 3, 5, 7],
      [4, 6, 8, 9, 10],
    ];
    const sum = 18;
    let [extreme, ways] = [0, 0];
    for (let mask = 0; mask < 1024; mask++) {
      const ranks = Array.from({ length: 10 }, (_, at) => at + 1).filter((rank) => (mask >> (rank - 1)) & 1);
      if (ranks.length !== 5) continue;
      ways++;
      const own = ranks.reduce((all, rank) => all + rank, 0);
      if (Math.abs(own - 27.5) >= Math.abs(sum - 27.5)) extreme++;
    }
    expect(rankSumP(a, b)).toBeCloseTo(extreme / ways, 1);
  });

  it('is sure of what differs, and of ties says nothing', () => {
    const high = Array.from({ length: 30 }, (_, at) => 100 + at);
    const low = Array.from({ length: 30 }, (_, at) => at);
    expect(rankSumP(high, low)).toBeLessThan(1e-8);
    expect(rankSumP([1, 1, 1], [1, 1, 1])).toBe(1);
    expect(rankSumP([], [1])).toBe(1);
  });

  it('is wrong as rarely as it says', () => {
    const random = pseudoRandom(3);
    const draw = (): number[] => Array.from({ length: 25 }, () => random());
    let claimed = 0;
    for (let round = 0; round < 1000; round++) if (rankSumP(draw(), draw()) < 0.05) claimed++;
    expect(claimed).toBeGreaterThan(25);
    expect(claimed).toBeLessThan(75);
  });
});
