import { placed } from './episodes/placement.js';
import { Fleet } from './fleet.js';
import { DAY, HOUR, MINUTE } from './world/clock.js';

const ANCHOR = Date.UTC(2026, 2, 5, 4);

function textsOf(fleet: Fleet, from: number, to: number): string[] {
  const texts: string[] = [];
  for (let minute = from; minute < to; minute += MINUTE)
    texts.push(...fleet.minute(minute).lines.map(({ text }) => text));
  return texts;
}

const counting = (texts: readonly string[], part: string): number =>
  texts.filter((text) => text.includes(part)).length;

describe('the fleet', () => {
  const fleet = new Fleet({ seed: 'test', anchor: ANCHOR });
  const during = textsOf(fleet, ANCHOR - 40 * MINUTE, ANCHOR);
  const before = textsOf(
    new Fleet({ seed: 'test', anchor: ANCHOR }),
    ANCHOR - 80 * MINUTE,
    ANCHOR - 40 * MINUTE,
  );

  it('gives the same lines for the same seed and anchor, wherever one begins', () => {
    const again = new Fleet({ seed: 'test', anchor: ANCHOR });
    expect(textsOf(again, ANCHOR - 10 * MINUTE, ANCHOR)).toEqual(
      textsOf(new Fleet({ seed: 'test', anchor: ANCHOR }), ANCHOR - 40 * MINUTE, ANCHOR).slice(
        -textsOf(new Fleet({ seed: 'test', anchor: ANCHOR }), ANCHOR - 10 * MINUTE, ANCHOR).length,
      ),
    );
    expect(textsOf(new Fleet({ seed: 'other', anchor: ANCHOR }), ANCHOR - MINUTE, ANCHOR)).not.toEqual(
      during.slice(-10),
    );
  });

  it('lives through a lease cut: refused tokens, then leases not granted, then 503s on two routes only', () => {
    expect(counting(before, 'rejected, lease lost')).toBe(0);
    expect(counting(during, 'rejected, lease lost')).toBeGreaterThan(20);
    expect(counting(during, 'not granted within')).toBeGreaterThan(
      20 * (counting(before, 'not granted within') + 1),
    );
    const failed = during.filter((text) => text.includes('" 503 '));
    expect(failed.length).toBeGreaterThan(100);
    const elsewhere = failed.filter(
      (text) => !/"(POST \/v1\/boardings|GET \/v1\/sailings\/\S+\/plan) /.test(text),
    );
    expect(elsewhere.length).toBeLessThan(5);
    expect(counting(during, '/v1/quotes HTTP/1.1" 200')).toBeGreaterThan(100);
  });

  it('recovers when the change is reverted, and knows no cut when there was none', () => {
    const start = ANCHOR - 3 * HOUR;
    const reverted = new Fleet({
      seed: 'test',
      anchor: ANCHOR,
      episodes: { E1: { start, end: start + 20 * MINUTE, strength: 1 } },
    });
    textsOf(reverted, start, start + 30 * MINUTE);
    const after = textsOf(reverted, start + 60 * MINUTE, start + 90 * MINUTE);
    expect(counting(after, 'rejected, lease lost')).toBe(0);
    expect(counting(after, 'not granted within')).toBeLessThan(5);
    const calm = new Fleet({ seed: 'test', anchor: ANCHOR, episodes: {} });
    expect(counting(textsOf(calm, ANCHOR - 40 * MINUTE, ANCHOR), 'lease lost')).toBe(0);
  });

  it('is stronger with a greater strength', () => {
    const start = ANCHOR - HOUR;
    const lostAt = (strength: number): number =>
      counting(
        textsOf(
          new Fleet({ seed: 'test', anchor: ANCHOR, episodes: { E1: { start, end: ANCHOR, strength } } }),
          start,
          ANCHOR,
        ),
        'not granted within',
      );
    expect(lostAt(0.1)).toBeLessThan(lostAt(1));
  });

  it('has thirty harmless rare kinds of line in every half hour, some of them errors', () => {
    const calm = new Fleet({ seed: 'test', anchor: ANCHOR, episodes: {} });
    for (let window = 1; window <= 6; window++) {
      const from = ANCHOR - window * 9 * HOUR;
      const odd = textsOf(calm, from, from + 30 * MINUTE).filter((text) => / while \w+ing /.test(text));
      expect(
        new Set(odd.map((text) => text.replace(/^.*?(?=an? |un|mixed)/, ''))).size,
      ).toBeGreaterThanOrEqual(25);
    }
  });

  it('beats like clockwork, with one beat missed', () => {
    const calm = new Fleet({ seed: 'test', anchor: ANCHOR, episodes: {} });
    const from = calm.start + DAY - 10 * HOUR;
    const minutes = Array.from({ length: 240 }, (_, index) => from + index * MINUTE);
    const silent = minutes.filter(
      (minute) => counting(textsOf(calm, minute, minute + MINUTE), 'gauge poll complete') === 0,
    );
    expect(silent).toHaveLength(1);
    expect(calm.truth()).toMatchObject({ regular: [{ missed: new Date(silent[0]!).toISOString() }] });
  });

  it('writes lines whose times lie in their minute, in order', () => {
    for (const minute of [ANCHOR - DAY, ANCHOR - 30 * MINUTE]) {
      const times = fleetMinute(minute);
      expect(times).toEqual([...times].sort((a, b) => a - b));
      // What follows from a request may be said a few seconds later.
      expect(Math.min(...times)).toBeGreaterThanOrEqual(minute);
      expect(Math.max(...times)).toBeLessThan(minute + MINUTE + 10_000);
    }
  });

  const fleetMinute = (minute: number): number[] =>
    new Fleet({ seed: 'test', anchor: ANCHOR }).minute(minute).lines.map(({ at }) => at);

  it('has variants in which latency comes first, and a harmless change stands nearer', () => {
    const start = ANCHOR - HOUR;
    const variant = new Fleet({
      seed: 'test',
      anchor: ANCHOR,
      episodes: { E1: placed('E1', start) },
      variants: ['latency-first', 'nearer-change'],
    });
    const minutes = Array.from({ length: 12 }, (_, index) => variant.minute(start + (index - 4) * MINUTE));
    const waits = minutes.map(({ spans }) => {
      const own = spans.filter(({ name }) => name === 'lease berth').map(({ took }) => took);
      return own.sort((a, b) => a - b)[own.length >> 1] ?? 0;
    });
    const operations = minutes.map(
      ({ measurements }) => measurements.find(({ metric }) => metric === 'store.operations')!.value!,
    );
    // The fifth minute is the first of the episode, the eighth that in which leases begin to be lost.
    expect(Math.min(...waits.slice(4, 7))).toBeGreaterThan(4 * Math.max(...waits.slice(0, 4)));
    expect(Math.max(...operations.slice(4, 7))).toBeLessThan(1.5 * Math.max(...operations.slice(0, 4)));
    expect(operations[9]).toBeGreaterThan(2 * operations[3]!);
    const told = minutes
      .flatMap(({ changes }) => changes)
      .filter(({ type }) => type.includes('configuration'));
    expect(told.map(({ at, data }) => [(at - start) / 1000, data.key])).toEqual([
      [-180, 'lease_time'],
      [-20, 'page_size'],
    ]);
  });
});
