import { momentAt } from './moments.js';

const NOW = Date.UTC(2026, 11, 1, 12) * 1000;
const at = (text: string, now = NOW): string | undefined => {
  const found = momentAt(text, 0, now);
  return found && `${new Date(Math.floor(found.micros / 1000)).toISOString()} ${found.end}`;
};

describe('moments that lines open with', () => {
  it.each([
    ['2026-11-30 14:00:05.123 UTC', '2026-11-30T14:00:05.123Z'],
    ['2026-11-30 14:00:05 +0100', '2026-11-30T13:00:05.000Z'],
    ['2026-11-30T14:00:05.5+02:00', '2026-11-30T12:00:05.500Z'],
    ['Mon Nov 30 13:27:26.473516 2026', '2026-11-30T13:27:26.473Z'],
    ['30 Nov 2026 13:27:26.473', '2026-11-30T13:27:26.473Z'],
    ['30-Nov-2026 13:27:26', '2026-11-30T13:27:26.000Z'],
    ['Mon, 30 Nov 2026 13:27:26 -0500', '2026-11-30T18:27:26.000Z'],
    ['20261130T132726Z'.replace('132726', '13:27:26'), '2026-11-30T13:27:26.000Z'],
    ['2026.11.30 13:27:26', '2026-11-30T13:27:26.000Z'],
    ['1130 13:27:26.473516', '2026-11-30T13:27:26.473Z'],
    ['Nov 30 13:27:26', '2026-11-30T13:27:26.000Z'],
    ['Nov 30 13:27:26.473', '2026-11-30T13:27:26.473Z'],
    ['1796045417.375', '2026-11-30T13:30:17.375Z'],
    ['6b0d78fc.064e0d8f', '2026-11-30T13:24:12.105Z'],
  ])('reads %s', (text, expected) => {
    expect(at(text)).toBe(`${expected} ${text.length}`);
  });

  it('takes a time without a date for the last one before now', () => {
    expect(at('09:30:00.5')).toBe('2026-12-01T09:30:00.500Z 10');
    expect(at('23:30:00', Date.UTC(2026, 11, 1, 0, 10) * 1000)).toBe(
      '2026-12-01T23:30:00.000Z 8'.replace('12-01', '11-30'),
    );
  });

  it('takes a month and a day for those of the year before where they are still to come', () => {
    expect(at('0214 08:00:00.000001', Date.UTC(2026, 0, 5) * 1000)).toMatch(/^2025-02-14T/);
  });

  it.each(['', 'Nov', '2026', '99:99:99', 'Mon Nov 40 13:27:26 2026', '31 Foo 2026 10:00:00', '12:30'])(
    'finds none in "%s"',
    (text) => {
      expect(at(text)).toBeUndefined();
    },
  );
});
