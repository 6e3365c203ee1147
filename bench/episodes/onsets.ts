import type { OnsetsSearchAnswer } from '@flail/contract';
import { SLOW_BEFORE } from '../../apps/fleet/src/fleet.js';
import type { Random } from '../../apps/fleet/src/world/random.js';
import { MINUTE } from '../../apps/fleet/src/world/clock.js';
import { quietWindows, windowsOf, type World } from './world.js';

/** Whether a claim held, and what stood there instead. */
export interface Check {
  what: string;
  held: boolean;
  seen: string;
}

const BUCKET = MINUTE;

async function ladderAround(world: World, start: number, random: Random): Promise<OnsetsSearchAnswer> {
  const from = start - (8 + random.whole(12)) * MINUTE;
  const to = Math.min(world.anchor, start + (35 + random.whole(20)) * MINUTE);
  return world.post<OnsetsSearchAnswer>('onsets/search', windowsOf(from, to));
}

const told = ({ groups, origins }: OnsetsSearchAnswer): string =>
  origins
    .slice(0, 4)
    .map(({ group, role }) => {
      const { service, measure, onset, value, usual, spreads } = groups[group]!;
      const size = `${value.toPrecision(3)}, usual ${usual.toPrecision(3)}, ${spreads.toFixed(0)} spreads`;
      return `${onset.slice(11, 19)} ${service} ${measure} (${role}; ${size})`;
    })
    .join(' | ');

/** What the ladder says of each episode that it has to find. */
export async function onsetChecks(world: World, random: Random): Promise<Check[]> {
  const { E1, E4, E7 } = world.episodes;
  const name = world.disguise;
  const checks: Check[] = [];
  if (E1) {
    const ladder = await ladderAround(world, E1.start, random);
    const own = new Set([name('berth-allocator'), name('lock-store')]);
    const place = ladder.origins.findIndex(({ group }) => own.has(ladder.groups[group]!.service));
    checks.push({ what: 'E1: true origin first on the ladder', held: place === 0, seen: told(ladder) });
    checks.push({
      what: 'E1: true origin in the first three',
      held: place >= 0 && place < 3,
      seen: told(ladder),
    });
    const operations = ladder.groups.find(
      ({ service, measure }) => service === name('lock-store') && measure === name('store.operations'),
    );
    // Where requests are slow first, leases are lost that much later.
    const began = E1.start + (world.variants.includes('latency-first') ? SLOW_BEFORE : 0);
    const off = operations ? (Date.parse(operations.onset) - began) / BUCKET : NaN;
    checks.push({ what: 'E1: onset within a bucket', held: Math.abs(off) <= 1, seen: `${off} min off` });
    const decoy = ladder.origins
      .slice(0, 1)
      .some(({ reasons }) => reasons.some(({ text }) => text.includes(name('fare-quoter'))));
    checks.push({ what: 'E1: no decoy named with the first', held: !decoy, seen: told(ladder) });
  }
  if (E4) {
    const ladder = await ladderAround(world, E4.start, random);
    const place = ladder.origins.findIndex(({ group }) => ladder.groups[group]!.measure.includes('clock'));
    checks.push({
      what: 'E4: clock in the first three of what moved',
      held: place >= 0 && place < 3,
      seen: told(ladder),
    });
    const clock = ladder.groups[ladder.origins[place]?.group ?? -1];
    const off = clock ? (Date.parse(clock.onset) - E4.start) / BUCKET : NaN;
    checks.push({ what: 'E4: onset within a bucket', held: Math.abs(off) <= 1, seen: `${off} min off` });
  }
  if (E7) {
    const ladder = await ladderAround(world, E7.start, random);
    const mail = ladder.groups.findIndex(({ service }) => service === name('notice-sender'));
    const sessions = ladder.groups.findIndex(({ service }) => service === name('ledger-db'));
    checks.push({
      what: 'E7: mail replies before sessions',
      held: mail >= 0 && (sessions < 0 || mail < sessions),
      seen: told(ladder),
    });
    const role = ladder.origins.find(({ group }) => group === sessions)?.role;
    checks.push({ what: 'E7: database a consequence', held: role === 'consequence', seen: told(ladder) });
  }
  return checks;
}

/** What stands on the ladders of times at which nothing is wrong. */
export async function quietGroups(world: World): Promise<string[]> {
  const groups: string[] = [];
  for (const windows of quietWindows(world)) {
    const ladder = await world.post<OnsetsSearchAnswer>('onsets/search', windows);
    for (const { service, measure, onset, spreads } of ladder.groups)
      groups.push(`${onset} ${service} ${measure} (${spreads.toFixed(0)} spreads)`);
  }
  return groups;
}
