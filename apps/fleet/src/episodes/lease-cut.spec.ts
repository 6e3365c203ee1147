import { MINUTE } from '../world/clock.js';
import { Random } from '../world/random.js';
import { LeaseModel, type LeaseSecond } from './lease-cut.js';

const START = Date.UTC(2026, 2, 2, 18);

function run(
  minutes: number,
  episode?: { start: number; end: number; strength: number },
  seed = 's',
): LeaseSecond[] {
  const model = new LeaseModel(new Random(seed), episode, START);
  return Array.from({ length: minutes }, (_, minute) => model.minute(START + minute * MINUTE, 0.4)).flat();
}

const mean = (seconds: readonly LeaseSecond[], value: (second: LeaseSecond) => number): number =>
  seconds.reduce((sum, second) => sum + value(second), 0) / seconds.length;

describe('leases', () => {
  const cut = { start: START + 5 * MINUTE, end: START + 45 * MINUTE, strength: 1 };

  it('of thirty seconds are never lost, though allocators stall', () => {
    const calm = run(120);
    expect(calm.flatMap(({ lost }) => lost)).toEqual([]);
    expect(Math.max(...calm.map(({ failing }) => failing))).toBeLessThan(0.01);
  });

  it('of three seconds cost ten times the renewals, are lost, and queue up; and recover when restored', () => {
    for (const seed of ['a', 'b', 'c', 'd']) {
      const seconds = run(75, cut, seed);
      const [before, during, after] = [seconds.slice(0, 300), seconds.slice(600, 2700), seconds.slice(3600)];
      expect(mean(during, ({ operations }) => operations)).toBeGreaterThan(
        5 * mean(before, ({ operations }) => operations),
      );
      expect(during.some(({ lost }) => lost.length > 0)).toBe(true);
      expect(mean(during, ({ failing }) => failing)).toBeGreaterThan(0.2);
      expect(mean(after, ({ failing }) => failing)).toBeLessThan(0.15);
      expect(mean(after.slice(-300), ({ failing }) => failing)).toBeLessThan(
        mean(during, ({ failing }) => failing) / 4,
      );
    }
  });

  it('show at the lease store first, then in what is lost, in queues, in slowness, and last in what fails', () => {
    for (const seed of ['a', 'b', 'c', 'd']) {
      const seconds = run(45, cut, seed);
      const first = (holds: (second: LeaseSecond) => boolean): number => seconds.findIndex(holds);
      const stages = [
        first(({ operations }) => operations > 5),
        first(({ lost }) => lost.length > 0),
        first(({ queue }) => queue > 1),
        first(({ wait }) => wait > 150),
        first(({ failing }) => failing > 0.1),
      ];
      expect(stages[0]).toBe(300);
      expect([...stages].sort((a, b) => a - b)).toEqual(stages);
    }
  });

  it('are asked for minute by minute', () => {
    const model = new LeaseModel(new Random('s'), undefined, START);
    expect(() => model.minute(START + MINUTE, 1)).toThrow('in their order');
  });
});
