import { DAY, HISTORY_DAYS, HOUR, MINUTE, SECOND, simulatedTime } from '../world/clock.js';
import { type Instance, INSTANCES } from '../world/company.js';
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
  lines.push(...housekeeping(start, minuteOfDay, random));
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
