import { pseudoRandom } from '../testing/random.js';
import { request } from '../testing/requests.js';
import { firstSince, sumsSince } from './since.js';

describe('sums of requests since some moments', () => {
  const random = pseudoRandom(8);
  const requests = Array.from({ length: 400 }, () =>
    request({
      at: Math.floor(random() * 1000),
      name: ['read', 'write'][Math.floor(random() * 2)]!,
      weight: 1 + Math.floor(random() * 4),
      outcome: random() < 0.2 ? 'failed' : 'ok',
    }),
  ).sort((a, b) => a.at - b.at);

  it('are those of a plain count, whatever the order of the moments', () => {
    const moments = [900, 0, 500, 500, 2000, -5];
    const sums = sumsSince(requests, moments);
    expect(sums.map(({ name }) => name).sort()).toEqual(['read', 'write']);
    for (const { name, all, failed } of sums)
      for (const [at, moment] of moments.entries()) {
        const own = requests.filter((one) => one.name === name && one.at >= moment);
        const sum = (those: typeof own): number => those.reduce((total, { weight }) => total + weight, 0);
        expect([all[at], failed[at]]).toEqual([sum(own), sum(own.filter((one) => one.outcome === 'failed'))]);
      }
    expect(sumsSince([], moments)).toEqual([]);
  });

  it('begin at the first request of a moment', () => {
    for (const moment of [-1, 0, 333, 999, 1001]) {
      const found = requests.findIndex(({ at }) => at >= moment);
      expect(firstSince(requests, moment)).toBe(found < 0 ? requests.length : found);
    }
  });
});
