import type { LeaseSecond } from '../episodes/lease-cut.js';
import type { Placements } from '../episodes/placement.js';
import { tableWait } from '../episodes/settlement-lock.js';
import { SECOND } from '../world/clock.js';
import { type Site, SITES } from '../world/company.js';
import type { Random } from '../world/random.js';
import type { Measurement } from '../world/signals.js';

/** What the probes meet with in a minute. */
export interface ProbedMinute {
  start: number;
  leases: readonly LeaseSecond[];
  episodes: Placements;
}

/** A script that is run from both quays every minute: whether it went well, and how many milliseconds it took. */
interface Probe {
  check: string;
  run: (minute: ProbedMinute, second: LeaseSecond, random: Random) => { ok: boolean; took: number };
}

const PROBES: readonly Probe[] = [
  { check: 'read the timetable', run: (_, __, random) => ({ ok: true, took: random.duration(14) }) },
  {
    check: 'price a trip',
    run: ({ start, episodes }, _, random) => ({
      ok: true,
      took: tableWait(episodes, start) + random.duration(45),
    }),
  },
  {
    check: 'plan a sailing',
    run: (_, second, random) => {
      const ok = !random.chance(second.failing);
      return { ok, took: ok ? second.wait + random.duration(34) : 2000 + random.duration(30) };
    },
  },
];

/** The way from a quay to the services. */
const WAY: Record<Site, number> = { 'north-quay': 3, 'south-quay': 7 };

/** What the scripted checks of a minute measured. */
export function probesOf(minute: ProbedMinute, random: Random): Measurement[] {
  const found: Measurement[] = [];
  SITES.forEach((site, place) => {
    // The quays take turns, so that not all checks meet the same second.
    const offset = 7 + 30 * place;
    const at = minute.start + offset * SECOND;
    for (const { check, run } of PROBES) {
      const { ok, took } = run(minute, minute.leases[offset]!, random.fork(`${site} ${check}`));
      const labels = { site, check };
      found.push(
        { metric: 'probe.success', unit: '1', at, value: ok ? 1 : 0, labels },
        {
          metric: 'probe.duration',
          unit: 's',
          at,
          value: Number(((took + WAY[site]) / 1000).toFixed(4)),
          labels,
        },
      );
    }
  });
  return found;
}
