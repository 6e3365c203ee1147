import { isMoment, LATEST_MICROS, nearestMoment } from './range.js';
import { microsOf, momentText } from './moments.js';

describe('the range of moments', () => {
  it('goes from the beginning of 1970 to the end of 2199', () => {
    for (const [text, inside] of [
      ['1969-12-31T23:59:59.999999Z', false],
      ['1970-01-01T00:00:00Z', true],
      ['2199-12-31T23:59:59.999999Z', true],
      ['2200-01-01T00:00:00Z', false],
      ['9999-12-31T23:59:59Z', false],
    ] as const)
      expect([text, isMoment(microsOf(text))]).toEqual([text, inside]);
    for (const number of [NaN, Infinity, -Infinity, 1e300]) expect(isMoment(number)).toBe(false);
  });

  it('has a nearest moment to everything, which can be written', () => {
    expect(nearestMoment(5)).toBe(5);
    expect(nearestMoment(NaN)).toBe(0);
    expect(nearestMoment(Infinity)).toBe(LATEST_MICROS - 1);
    expect(momentText(1e300)).toBe('2199-12-31T23:59:59.999999Z');
    expect(momentText(-Infinity)).toBe('1970-01-01T00:00:00.000000Z');
  });
});
