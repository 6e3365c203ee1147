import { pseudoRandom } from '../testing/random.js';
import { shareRise } from './share-rise.js';

describe('a share that rises', () => {
  it('is found where two shares explain best what was seen', () => {
    const yes = Array.from({ length: 400 }, (_, at) => at >= 253 && at % 5 === 3);
    expect(shareRise(yes)).toEqual({ at: 253, before: 0, since: 30 });
  });

  it('is that of every place tried, for short series', () => {
    const random = pseudoRandom(31);
    const logarithm = (some: number, all: number): number =>
      some === 0 || some === all
        ? 0
        : some * Math.log(some / all) + (all - some) * Math.log((all - some) / all);
    for (let round = 0; round < 60; round++) {
      const yes = Array.from({ length: 60 }, (_, at) => random() < (at < 35 ? 0.05 : 0.8));
      const sum = (of: readonly boolean[]): number => of.filter(Boolean).length;
      const gains = yes.map((_, at) => {
        const [before, since] = [yes.slice(0, at), yes.slice(at)];
        if (before.length < 8 || since.length < 8) return -Infinity;
        if (sum(since) / since.length <= sum(before) / before.length) return -Infinity;
        return logarithm(sum(before), at) + logarithm(sum(since), since.length) - logarithm(sum(yes), 60);
      });
      const most = Math.max(...gains);
      expect(shareRise(yes)?.at).toBe(2 * most < 16 ? undefined : gains.indexOf(most));
    }
  });

  it('is none where it falls, stays, or too few are known', () => {
    expect(shareRise([])).toBeUndefined();
    expect(shareRise(Array.from({ length: 300 }, (_, at) => at < 100))).toBeUndefined();
    expect(shareRise(Array.from({ length: 300 }, (_, at) => at % 7 === 0))).toBeUndefined();
    expect(shareRise(Array.from({ length: 12 }, (_, at) => at > 5))).toBeUndefined();
  });
});
