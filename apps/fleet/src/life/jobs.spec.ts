import { Fleet } from '../fleet.js';
import { HOUR, MINUTE } from '../world/clock.js';
import type { Line } from '../world/line.js';
import type { RunEvent } from '../world/signals.js';

const anchor = Date.UTC(2026, 2, 2, 18, 40);
/** Where a line names its run, in whatever manner its service writes. */
const RUN = /\brun"?[=:] ?"?([\w.-]+)/;
const ENDINGS = ['COMPLETE', 'FAIL', 'ABORT'];

/** Events and lines of the runs of some hours before the anchor. */
function told(fleet: Fleet, hours: number): { runs: Map<string, RunEvent[]>; lines: Line[] } {
  const runs = new Map<string, RunEvent[]>();
  const lines: Line[] = [];
  for (let at = anchor - hours * HOUR; at < anchor; at += MINUTE) {
    const minute = fleet.minute(at);
    for (const event of minute.runs) runs.set(event.runId, [...(runs.get(event.runId) ?? []), event]);
    lines.push(...minute.lines.filter(({ text }) => RUN.test(text)));
  }
  return { runs, lines };
}

describe('jobs', () => {
  const ordinary = told(new Fleet({ seed: 'jobs', anchor, episodes: {} }), 4);
  const whole = [...ordinary.runs.values()].filter(([first]) => first!.type === 'OTHER');

  it('wait, start, go on and end, in that order and once', () => {
    expect(whole.length).toBeGreaterThan(20);
    let ended = 0;
    for (const events of whole) {
      const times = events.map(({ at }) => at);
      expect(times).toEqual([...times].sort((a, b) => a - b));
      expect(events[0]!.facets.flail_state).toMatchObject({ state: 'waiting' });
      const endings = events.filter(({ type }) => ENDINGS.includes(type));
      expect(endings.length).toBeLessThanOrEqual(1);
      if (endings.length === 0) continue;
      ended++;
      expect(events.at(-1)).toBe(endings[0]);
      expect(events.some(({ type }) => type === 'START')).toBe(true);
    }
    // Only those of the last minutes go on.
    expect(ended).toBeGreaterThan(0.8 * whole.length);
  });

  it('are of one job each, which does not fail where nothing is wrong', () => {
    for (const events of whole) expect(new Set(events.map(({ job }) => job)).size).toBe(1);
    const failed = whole.filter((events) => events.some(({ type }) => type === 'FAIL'));
    expect(failed).toEqual([]);
    expect(new Set(whole.map(([first]) => first!.job)).size).toBeGreaterThan(2);
  });

  it('say what they say between waiting and their end', () => {
    let said = 0;
    for (const { at, text } of ordinary.lines) {
      const events = ordinary.runs.get(RUN.exec(text)![1]!);
      if (events?.[0]?.type !== 'OTHER' || !ENDINGS.includes(events.at(-1)!.type)) continue;
      expect(at).toBeGreaterThanOrEqual(events[0].at);
      expect(at).toBeLessThanOrEqual(events.at(-1)!.at + 1);
      said++;
    }
    expect(said).toBeGreaterThan(100);
  });

  it('fail and hang with the episodes that make them', () => {
    const fleet = new Fleet({ seed: 'jobs', anchor });
    const { runs } = told(fleet, 1);
    expect([...runs.values()].some((events) => events.some(({ type }) => type === 'FAIL'))).toBe(true);
    const hanging = fleet.hangingRun(anchor - MINUTE)!;
    expect(runs.get(hanging)!.filter(({ type }) => ENDINGS.includes(type))).toEqual([]);
    expect(new Fleet({ seed: 'jobs', anchor, episodes: {} }).hangingRun(anchor - MINUTE)).toBeUndefined();
  });
});
