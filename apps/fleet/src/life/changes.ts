import { fastInstance } from '../episodes/fast-clock.js';
import type { EpisodeId, Placements } from '../episodes/placement.js';
import type { Variant } from '../episodes/variants.js';
import { DAY, HISTORY_DAYS, HOUR, MINUTE, SECOND } from '../world/clock.js';
import { INSTANCES, SERVICES, serviceNamed } from '../world/company.js';
import { type Line, say } from '../world/line.js';
import type { Random } from '../world/random.js';
import type { ChangeEvent } from '../world/signals.js';

/** Services that are rolled out harmlessly, three a day; the last one stands close before the anchor. */
const ROLLED = ['fare-quoter', 'residency-registry', 'boarding-api', 'manifest-writer', 'gate-edge'] as const;
/** Moments of a day's harmless rollouts, as offsets back from the anchor's time of day. */
const ROLLOUT_OFFSETS = [44 * MINUTE, 9 * HOUR, 16 * HOUR];
const ROLLOUTS = '/kittiwake/rollouts';
const SETTINGS = '/kittiwake/settings';
const HOSTS = '/kittiwake/hosts';
const PEOPLE = ['m.tern', 'a.skua', 'j.fulmar', 'k.dunlin'];

/** The harmless rollout that stands in the same ten minutes as the episode. */
export const decoyRollout = (anchor: number): { at: number; service: string } => ({
  at: anchor - ROLLOUT_OFFSETS[0]!,
  service: ROLLED[0],
});

interface Told {
  lines: Line[];
  changes: ChangeEvent[];
}

/** Deployments and settings of a minute, harmless ones and those that cause what is told of in the episodes. */
export function changesOf(
  start: number,
  anchor: number,
  episodes: Placements,
  random: Random,
  variants: readonly Variant[] = [],
): Told {
  const told: Told = { lines: [], changes: [] };
  harmless(start, anchor, random, told);
  causes(start, episodes, told, variants.includes('nearer-change'));
  return told;
}

function rollout(
  at: number,
  service: string,
  from: string,
  to: string,
  by: string,
  random: Random,
  told: Told,
): void {
  told.changes.push({
    id: `rollout-${service}-${at}`,
    source: ROLLOUTS,
    type: 'lines.kittiwake.deployment.finished',
    at,
    data: { service, key: 'version', from, to, by, title: `${service} ${from} → ${to}` },
  });
  const { speech } = serviceNamed(service);
  if (speech === 'access') return;
  INSTANCES.get(service)!.forEach((instance, turn) => {
    const stopped = at + turn * 20 * SECOND;
    told.changes.push({
      id: `restart-${instance.name}-${at}`,
      source: HOSTS,
      type: 'lines.kittiwake.instance.restarted',
      at: stopped,
      data: { service, instance: instance.name, host: instance.host, site: instance.site, reason: 'rollout' },
    });
    told.lines.push(
      say(instance, stopped, 'INFO', 'stopping, draining connections', { open: random.whole(30) }),
    );
    told.lines.push(
      say(instance, stopped + 6 * SECOND, 'INFO', `${service} ${to} ready`, {
        took: `${random.duration(3200).toFixed(0)}ms`,
      }),
    );
  });
}

function setting(
  at: number,
  service: string,
  key: string,
  from: string,
  to: string,
  by: string,
  told: Told,
): void {
  const revision = `cfg-${4000 + (Math.floor(at / HOUR) % 5000)}`;
  told.changes.push({
    id: `setting-${service}-${key}-${at}`,
    source: SETTINGS,
    type: 'lines.kittiwake.configuration.changed',
    at,
    data: { service, key, from, to, by, revision },
  });
  INSTANCES.get(service)!.forEach((instance, turn) =>
    told.lines.push(
      say(instance, at + turn * 700, 'INFO', 'configuration reloaded', { revision, key, from, to }),
    ),
  );
}

function harmless(start: number, anchor: number, random: Random, told: Told): void {
  const age = anchor - start;
  ROLLOUT_OFFSETS.forEach((offset, index) => {
    const day = Math.round((age - offset) / DAY);
    if (day * DAY + offset !== age) return;
    const turn = day * ROLLOUT_OFFSETS.length + index;
    const service = ROLLED[((turn % ROLLED.length) + ROLLED.length) % ROLLED.length]!;
    const line = serviceNamed(service).version.split('.').slice(0, 2).join('.');
    const build = 10 + HISTORY_DAYS - day;
    rollout(start, service, `${line}.${build - 1}`, `${line}.${build}`, 'rollout-bot', random, told);
  });
  if (age % DAY === 5 * HOUR || age % DAY === 13 * HOUR) {
    const from = random.whole(40) + 10;
    const key = random.pick(['pool_size', 'page_size', 'cache_ttl', 'batch_size']);
    const service = random.pick(
      SERVICES.filter(({ speech }) => speech === 'json' || speech === 'logfmt'),
    ).name;
    setting(start, service, key, String(from), String(from + 5), random.pick(PEOPLE), told);
  }
  // A service grows and shrinks with the peaks.
  if (age % DAY === 2 * HOUR || age % DAY === 21 * HOUR) {
    const up = age % DAY === 2 * HOUR;
    told.changes.push({
      id: `scaling-${start}`,
      source: HOSTS,
      type: 'lines.kittiwake.scaling.finished',
      at: start,
      data: { service: 'gate-edge', key: 'workers', from: up ? 8 : 12, to: up ? 12 : 8, by: 'timetable' },
    });
  }
}

/** A change may be told of before it takes hold, and a harmless one after it. */
const HELD_BACK = 3 * MINUTE;
const NEARER = 20 * SECOND;

/** Ids of the changes that are the causes of episodes. */
const CAUSES: Partial<Record<EpisodeId, string>> = {
  E1: 'setting-berth-allocator-lease_time',
  E2: 'library',
  E3: 'planner',
  E4: 'timesync-stopped',
};

/** The episode that a change is the cause of. */
export const episodeOfChange = (id: string): EpisodeId | undefined =>
  (Object.keys(CAUSES) as EpisodeId[]).find((episode) => new RegExp(`^${CAUSES[episode]}-\\d+$`).test(id));

/** What the episodes that have a change as their cause begin with. */
function causes(start: number, { E1, E2, E3, E4 }: Placements, told: Told, nearer: boolean): void {
  const now = (at: number | undefined): at is number =>
    at !== undefined && at >= start && at < start + MINUTE;
  const cutAt = E1 && (nearer ? E1.start - HELD_BACK : E1.start);
  if (now(cutAt)) setting(cutAt, 'berth-allocator', 'lease_time', '30s', '3s', 'j.fulmar', told);
  const nearerAt = E1 && nearer ? E1.start - NEARER : undefined;
  if (now(nearerAt)) setting(nearerAt, 'residency-registry', 'page_size', '20', '25', 'a.skua', told);
  if (now(E1?.end)) setting(E1.end, 'berth-allocator', 'lease_time', '3s', '30s', 'j.fulmar', told);
  const deployed = (id: string, at: number, data: Record<string, string>): void =>
    void told.changes.push({
      id: `${id}-${at}`,
      source: ROLLOUTS,
      type: 'lines.kittiwake.deployment.finished',
      at,
      data: { ...data, by: 'rollout-bot' },
    });
  const library = (from: string, to: string): Record<string, string> => ({
    service: 'manifest-writer',
    key: 'library_version',
    from,
    to,
    title: `manifest-writer: export library ${from} → ${to}`,
  });
  if (now(E2?.start)) deployed(CAUSES.E2!, E2.start, library('4.1.3', '4.2.0'));
  if (now(E2?.end)) deployed('library-taken-back', E2.end, library('4.2.0', '4.1.3'));
  const planner = (from: string, to: string): Record<string, string> => ({
    service: 'sailing-planner',
    key: 'version',
    from,
    to,
  });
  if (now(E3?.start)) deployed(CAUSES.E3!, E3.start, planner('2.9.3', '2.9.4'));
  if (now(E3?.end)) deployed('planner-taken-back', E3.end, planner('2.9.4', '2.9.3'));
  const { host, site, name } = fastInstance();
  for (const [at, state] of [
    [E4?.start, 'stopped'],
    [E4?.end, 'started'],
  ] as const) {
    if (now(at))
      told.changes.push({
        id: `timesync-${state}-${at}`,
        source: HOSTS,
        type: `lines.kittiwake.timesync.${state}`,
        at,
        data: {
          instance: name,
          service: 'boarding-api',
          host,
          site,
          title: `time sync ${state} for ${name} on ${host}`,
        },
      });
  }
}
