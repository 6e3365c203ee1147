import { parseMoment, parseWindow } from './window-text.js';

// Local times, whatever the zone of the machine.
const local = (day: number, hour: number, minute = 0, second = 0): number =>
  new Date(2026, 2, day, hour, minute, second).getTime();
// Thursday 5 March 2026, 20:00.
const NOW = local(5, 20);

describe('a window in words', () => {
  it.each<[string, number, number]>([
    ['last 15 min', NOW - 15 * 60_000, NOW],
    ['last hour', NOW - 3_600_000, NOW],
    ['last 2 days', NOW - 2 * 86_400_000, NOW],
    ['18:00 to 18:20', local(5, 18), local(5, 18, 20)],
    ['18:00 – 18:20, 20 min', local(5, 18), local(5, 18, 20)],
    ['18:00 to 18:20 yesterday', local(4, 18), local(4, 18, 20)],
    ['yesterday 18:00 to 18:20', local(4, 18), local(4, 18, 20)],
    ['21:00 to 21:30', local(4, 21), local(4, 21, 30)],
    ['Tue 18:00 – 18:40', local(3, 18), local(3, 18, 40)],
    ['Thu 21:00 – 22:00', new Date(2026, 1, 26, 21).getTime(), new Date(2026, 1, 26, 22).getTime()],
    ['Tue 23:50 – Wed 00:10', local(3, 23, 50), local(4, 0, 10)],
    ['Tue 23:50 to 00:10', local(3, 23, 50), local(4, 0, 10)],
    ['2026-03-01 18:00 to 2026-03-02 06:00', local(1, 18), local(2, 6)],
    ['2026-03-02T18:00:00Z .. 2026-03-02T18:10:00Z', Date.UTC(2026, 2, 2, 18), Date.UTC(2026, 2, 2, 18, 10)],
    ['18:10 ± 5 min', local(5, 18, 5), local(5, 18, 15)],
    ['18:00:05 to now', local(5, 18, 0, 5), NOW],
  ])('%s', (text, from, to) => {
    expect(parseWindow(text, NOW)).toEqual({ from, to });
  });

  it.each([
    '',
    'soon',
    '18:00',
    '25:99 to 26:00',
    '2026-03-05 19:00 to 2026-03-05 18:00',
    'last fortnight',
    '18:00 to',
  ])('%s is refused', (text) => {
    expect(parseWindow(text, NOW)).toBeUndefined();
  });

  it('takes a clock time for the latest one before now', () => {
    expect(parseMoment('21:30', NOW)).toBe(local(4, 21, 30));
    expect(parseMoment('19:30', NOW)).toBe(local(5, 19, 30));
  });
});
