import { microsOf, momentText } from './moments.js';

describe('moments', () => {
  it.each([
    ['2026-03-02T18:00:00Z', '2026-03-02T18:00:00.000000Z'],
    ['2026-03-02T18:00:00.5Z', '2026-03-02T18:00:00.500000Z'],
    ['2026-03-02T18:00:00.123456789+02:00', '2026-03-02T16:00:00.123456Z'],
    ['1969-12-31T23:59:59.999999Z', '1969-12-31T23:59:59.999999Z'],
  ])('%s', (text, written) => {
    expect(momentText(microsOf(text))).toBe(written);
  });

  it.each(['2026-03-02', '2026-03-02 18:00:00', 'now', '2026-03-02T18:00:00', '2026-99-02T18:00:00Z'])(
    '%s is none',
    (text) => {
      expect(microsOf(text)).toBeNaN();
    },
  );
});
