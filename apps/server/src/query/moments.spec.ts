import { microsOf, momentText, windowBody, windowOf } from './moments.js';

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

  it('make windows, which come back as they were', () => {
    const body = { from: '2026-03-02T18:00:00.000001Z', to: '2026-03-02T18:00:00.000002Z' };
    expect(windowBody(windowOf(body, 'window'))).toEqual(body);
    expect(() => windowOf({ from: body.from, to: body.from }, 'baseline')).toThrow('The baseline ends');
    expect(() => windowOf({ from: 'x', to: body.from }, 'window')).toThrow('window.from is not a moment');
  });
});
