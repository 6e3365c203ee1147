import { DAY, HOUR } from '../world/clock.js';
import { joined, toSend } from './stretches.js';

const end = Date.UTC(2026, 2, 9);
const start = end - 8 * DAY;
const all = { from: start, to: end };

describe('the order of sending', () => {
  it('sends the newest first, each stretch once and nothing twice', () => {
    const stretches = toSend(all, end, []);
    expect(stretches).toEqual([
      { from: end - HOUR, to: end },
      { from: end - 3 * HOUR, to: end - HOUR },
      { from: end - DAY, to: end - 3 * HOUR },
      { from: end - 2 * DAY, to: end - DAY },
      { from: start, to: end - 2 * DAY },
    ]);
    expect(joined(stretches)).toEqual([all]);
  });

  it('goes on with what was not sent', () => {
    const sent = [
      { from: start, to: start + HOUR },
      { from: end - 3 * HOUR, to: end - 2 * HOUR },
    ];
    const stretches = toSend(all, end, sent);
    expect(stretches[0]).toEqual({ from: end - HOUR, to: end });
    expect(stretches[1]).toEqual({ from: end - 2 * HOUR, to: end - HOUR });
    expect(stretches.at(-1)).toEqual({ from: start + HOUR, to: end - 2 * DAY });
    expect(joined([...stretches, ...sent])).toEqual([all]);
    const length = stretches.reduce((sum, { from, to }) => sum + to - from, 0);
    expect(length).toBe(8 * DAY - 2 * HOUR);
  });

  it('fills a gap, and has nothing to send twice', () => {
    expect(toSend(all, end, [{ from: 0, to: end - HOUR }])).toEqual([{ from: end - HOUR, to: end }]);
    expect(toSend(all, end, [all])).toEqual([]);
    expect(toSend({ from: end, to: end }, end, [])).toEqual([]);
  });

  it('sends what came after the anchor first, and cuts what was before as it did', () => {
    const later = end + 40 * 60_000;
    const stretches = toSend({ from: start, to: later }, end, [{ from: start, to: end - 2 * HOUR }]);
    expect(stretches).toEqual([
      { from: end, to: later },
      { from: end - HOUR, to: end },
      { from: end - 2 * HOUR, to: end - HOUR },
    ]);
  });

  it('takes a short history as it is', () => {
    const short = { from: end - HOUR, to: end };
    expect(toSend(short, end, [])).toEqual([short]);
  });
});
