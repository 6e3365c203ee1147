import { Fleet } from '../fleet.js';
import { MINUTE } from './clock.js';
import type { Signals } from './signals.js';

const ANCHOR = Date.UTC(2026, 2, 5, 4);
const START = ANCHOR - 10 * MINUTE;

describe('switches of what a source sends', () => {
  const minute = (
    set?: Parameters<Fleet['emissions']['set']>[1],
    service = 'boarding-api',
  ): [Signals, Fleet] => {
    const fleet = new Fleet({ seed: 'test', anchor: ANCHOR, episodes: {} });
    if (set) expect(fleet.emissions.set(service, set)).toBe(true);
    return [fleet.minute(START), fleet];
  };
  const [usual, usualFleet] = minute();
  const own = <T extends { from: { service: string } }>(all: readonly T[], service = 'boarding-api'): T[] =>
    all.filter(({ from }) => from.service === service);

  it('leave out lines under a level, of that source only, and count them', () => {
    const [{ lines }, fleet] = minute({ level: 'INFO' }, 'residency-registry');
    const before = own(usual.lines, 'residency-registry');
    expect(before.some(({ level }) => level === 'DEBUG')).toBe(true);
    expect(own(lines, 'residency-registry')).toEqual(before.filter(({ level }) => level !== 'DEBUG'));
    expect(own(lines)).toEqual(own(usual.lines));
    const sent = fleet.emissions.lastSent('residency-registry');
    expect(sent.lines + sent.linesLeftOut).toBe(before.length);
    expect(sent.bytes).toBeLessThan(usualFleet.emissions.lastSent('residency-registry').bytes / 3);
  });

  it('send the spans of one request in so many, and say so on each', () => {
    const [{ spans }] = minute({ sampling: 2 });
    const [all, some] = [own(usual.spans), own(spans)];
    expect(some.length).toBeGreaterThan(0);
    expect(some.length).toBeLessThan(all.length);
    for (const span of some) {
      const { attributes } = all.find(({ id }) => id === span.id)!;
      expect(span.attributes['sampling.one_in']).toBe(2 * Number(attributes['sampling.one_in']));
    }
    // Whole requests are kept or left out.
    const kept = new Set(some.map(({ trace }) => trace));
    expect(all.filter(({ trace }) => kept.has(trace))).toHaveLength(some.length);
  });

  it('record what was asked, which costs time', () => {
    const [{ spans }] = minute({ payloads: true });
    const recorded = own(spans).filter(({ kind }) => kind === 'server');
    const took = (all: typeof spans, id: string): number => all.find((span) => span.id === id)!.took;
    expect(recorded.length).toBeGreaterThan(5);
    for (const { id, attributes } of recorded) {
      expect(JSON.parse(String(attributes['request.body']))).toHaveProperty('port');
      expect(took(spans, id)).toBeGreaterThanOrEqual(took(usual.spans, id) + 1.7);
    }
    expect(own(usual.spans).some(({ attributes }) => 'request.body' in attributes)).toBe(false);
  });

  it('know only services that there are', () => {
    expect(usualFleet.emissions.set('gull-api', { level: 'WARN' })).toBe(false);
  });
});
