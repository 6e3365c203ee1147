import { placed } from '../episodes/placement.js';
import { Fleet } from '../fleet.js';
import { MINUTE } from '../world/clock.js';

const ANCHOR = Date.UTC(2026, 2, 5, 4);

describe('scripted checks', () => {
  const available = (fleet: Fleet, check: string): number => {
    const all = Array.from({ length: 20 }, (_, minute) =>
      fleet.minute(ANCHOR + (minute + 5) * MINUTE),
    ).flatMap(({ measurements }) =>
      measurements.filter(({ metric, labels }) => metric === 'probe.success' && labels!.check === check),
    );
    expect(new Set(all.map(({ labels }) => labels!.site))).toEqual(new Set(['north-quay', 'south-quay']));
    return all.reduce((sum, { value }) => sum + value!, 0) / all.length;
  };

  it('go well from both quays on a quiet day', () => {
    const quiet = (): Fleet => new Fleet({ seed: 'test', anchor: ANCHOR, episodes: {} });
    for (const check of ['read the timetable', 'price a trip', 'plan a sailing'])
      expect(available(quiet(), check)).toBeGreaterThan(0.97);
  });

  it('fail where what they need fails, and only there', () => {
    const ill = (): Fleet =>
      new Fleet({ seed: 'test', anchor: ANCHOR, episodes: { E1: placed('E1', ANCHOR) } });
    expect(available(ill(), 'plan a sailing')).toBeLessThan(0.9);
    expect(available(ill(), 'read the timetable')).toBe(1);
  });
});
