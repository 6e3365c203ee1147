import { LiveClock, speedOf } from './live-clock.js';

describe('the time of the fleet', () => {
  it('goes as ours does, stands still, and goes faster from where it is', () => {
    let ours = 1_000_000;
    const clock = new LiveClock(5000, 1, () => ours);
    ours += 2000;
    expect(clock.now()).toBe(7000);
    clock.set(0);
    ours += 60_000;
    expect(clock.now()).toBe(7000);
    clock.set(30);
    ours += 1000;
    expect([clock.now(), clock.speed]).toEqual([37_000, 30]);
  });

  it.each([
    ['0', 0],
    [60, 60],
    ['1', 1],
    ['2', undefined],
    ['fast', undefined],
    [undefined, undefined],
    [null, undefined],
    ['', undefined],
  ])('knows %s as %s', (value, speed) => {
    expect(speedOf(value)).toBe(speed);
  });
});
