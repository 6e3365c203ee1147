import { DAY, HISTORY_DAYS, HOUR, MINUTE, SECOND, simulatedTime } from '../world/clock.js';
import { type Instance, INSTANCES, PORTS, SERVICES } from '../world/company.js';
import { access, type Line, say } from '../world/line.js';
import type { Random } from '../world/random.js';

const one = (service: string, index = 0): Instance => INSTANCES.get(service)![index]!;

/** The beat that is missed: on the second day of the history. */
export const missedBeat = (anchor: number): number => anchor - (HISTORY_DAYS - 1) * DAY - 9 * HOUR;

const SCANNED = [
  '/wp-login.php',
  '/.env',
  '/admin/',
  '/phpinfo.php',
  '/.git/config',
  '/cgi-bin/test',
  '/server-status',
  '/backup.zip',
];

/** What the fleet does whether or not anybody travels. */
export function routineOf(start: number, anchor: number, random: Random): Line[] {
  const lines: Line[] = [];
  const put = (line: Line): void => void lines.push(line);
  const clock = simulatedTime(start, anchor);
  const minuteOfDay = Math.floor(clock.hour * 60 + 1e-6);

  // A line like clockwork, every 60 seconds, with one beat missed.
  if (start !== missedBeat(anchor)) {
    put(
      say(one('tide-feed'), start + 7 * SECOND + random.between(0, 40), 'INFO', 'gauge poll complete', {
        stations: 14,
        took: `${random.duration(210).toFixed(0)}ms`,
      }),
    );
  }
  // Probes of every edge instance.
  for (const edge of INSTANCES.get('gate-edge')!) {
    const probe = {
      method: 'GET',
      path: '/healthz',
      status: 200,
      bytes: 2,
      client: '10.0.0.5',
      agent: 'quay-probe/1',
    };
    for (const second of [11, 41]) put(access(edge, start + second * SECOND, probe));
  }
  // The world looks for pages that do not exist.
  for (let left = random.poisson(0.5); left > 0; left--) {
    const probe = {
      method: 'GET',
      path: random.pick(SCANNED),
      status: 404,
      bytes: 153,
      client: `203.0.113.${random.whole(255)}`,
      agent: 'Mozilla/5.0',
    };
    put(access(random.pick(INSTANCES.get('gate-edge')!), start + random.between(0, MINUTE), probe));
  }
  for (let left = random.poisson(1.5); left > 0; left--) {
    put(
      say(
        one('ledger-db'),
        start + random.between(0, MINUTE),
        'INFO',
        `checkpoint complete: wrote ${random.whole(900) + 20} buffers in ${random.between(0.2, 3).toFixed(3)} s`,
      ),
    );
  }
  if (random.chance(0.12)) {
    put(
      say(
        one('ledger-db'),
        start + random.between(0, MINUTE),
        'WARN',
        `slow statement ${random.duration(600).toFixed(0)}ms: select seats from sailings where sailing = 'SL-${10_000 + random.whole(9000)}'`,
      ),
    );
  }
  if (random.chance(0.05)) {
    put(
      say(
        one('lock-store'),
        start + random.between(0, MINUTE),
        'WARN',
        `apply took ${random.duration(180).toFixed(0)}ms, longer than 100ms`,
      ),
    );
  }
  if (random.chance(0.02)) {
    put(
      say(
        random.pick(INSTANCES.get('berth-allocator')!),
        start + random.between(0, MINUTE),
        'WARN',
        'lease queue is long',
        { depth: 25 + random.whole(6), limit: 24 },
      ),
    );
  }
  // Flaps every twenty minutes, always has.
  if (minuteOfDay % 20 === 3) {
    put(
      say(
        one('fare-quoter', 1),
        start + 12 * SECOND,
        'WARN',
        'upstream rates feed stale, serving cached table',
        { age: `${600 + random.whole(30)}s` },
      ),
    );
    put(say(one('fare-quoter', 1), start + 52 * SECOND, 'INFO', 'upstream rates feed fresh again'));
  }
  // Every quarter of an hour the manifests of each port.
  if (minuteOfDay % 15 === 0) {
    for (const port of PORTS) {
      const records = random.whole(400) + 3;
      put(
        say(
          random.pick(INSTANCES.get('manifest-writer')!),
          start + random.between(5, 50) * SECOND,
          'INFO',
          `manifest for ${port} written, ${records} passengers, ${(records * 0.41).toFixed(1)}kB`,
        ),
      );
    }
  }
  lines.push(...housekeeping(start, minuteOfDay, random));
  lines.push(...rollouts(start, anchor, random));
  return lines;
}

/** Nightly bursts. */
function housekeeping(start: number, minuteOfDay: number, random: Random): Line[] {
  const lines: Line[] = [];
  if (minuteOfDay >= 150 && minuteOfDay < 156) {
    for (let batch = 0; batch < 40; batch++) {
      lines.push(
        say(
          one('ledger-db'),
          start + random.between(0, MINUTE),
          'INFO',
          `vacuum of table fares_p${random.whole(64)}: ${random.whole(9000)} rows removed, ${random.whole(90)} pages left`,
        ),
      );
    }
  }
  if (minuteOfDay >= 190 && minuteOfDay < 194) {
    for (let batch = 0; batch < 30; batch++) {
      lines.push(
        say(
          random.pick(INSTANCES.get('fare-quoter')!),
          start + random.between(0, MINUTE),
          'INFO',
          `fare table partition ${random.whole(256)} rebuilt in ${random.duration(900).toFixed(0)}ms`,
        ),
      );
    }
  }
  return lines;
}

/** Services that are rolled out harmlessly, three a day; the last one stands close before the anchor. */
const ROLLED = ['fare-quoter', 'residency-registry', 'boarding-api', 'manifest-writer', 'gate-edge'] as const;

/** Moments of a day's harmless rollouts, as offsets back from the anchor's time of day. */
const ROLLOUT_OFFSETS = [44 * MINUTE, 9 * HOUR, 16 * HOUR];

/** The harmless rollout that stands in the same ten minutes as the episode. */
export const decoyRollout = (anchor: number): { at: number; service: string } => ({
  at: anchor - ROLLOUT_OFFSETS[0]!,
  service: ROLLED[0],
});

function rollouts(start: number, anchor: number, random: Random): Line[] {
  const lines: Line[] = [];
  const age = anchor - start;
  ROLLOUT_OFFSETS.forEach((offset, index) => {
    const day = Math.round((age - offset) / DAY);
    if (day * DAY + offset !== age) return;
    const service =
      ROLLED[(((day * ROLLOUT_OFFSETS.length + index) % ROLLED.length) + ROLLED.length) % ROLLED.length]!;
    const speech = SERVICES.find(({ name }) => name === service)!;
    if (speech.speech === 'access') return;
    const version = `${speech.version.split('.').slice(0, 2).join('.')}.${10 + HISTORY_DAYS - day}`;
    INSTANCES.get(service)!.forEach((instance, turn) => {
      const at = start + turn * 20 * SECOND;
      lines.push(say(instance, at, 'INFO', 'stopping, draining connections', { open: random.whole(30) }));
      lines.push(
        say(instance, at + 6 * SECOND, 'INFO', `${service} ${version} ready`, {
          took: `${random.duration(3200).toFixed(0)}ms`,
        }),
      );
    });
  });
  // Configuration is reloaded on one service or other every day.
  if (age % DAY === 5 * HOUR || age % DAY === 13 * HOUR) {
    const keys = ['pool_size', 'log_level', 'page_size', 'cache_ttl'] as const;
    const from = random.whole(40) + 10;
    for (const instance of INSTANCES.get('berth-allocator')!) {
      lines.push(
        say(instance, start + random.between(0, 3) * SECOND, 'INFO', 'configuration reloaded', {
          revision: `cfg-${4000 + Math.floor(-age / HOUR) + 500}`,
          key: random.pick(keys),
          from,
          to: from + 5,
        }),
      );
    }
  }
  return lines;
}
