import { deviationOf } from '@flail/core/onsets';
import { mailState } from '../apps/fleet/src/episodes/mail-retries.js';
import { ordinarySessions } from '../apps/fleet/src/life/metrics.js';
import { Random } from '../apps/fleet/src/world/random.js';

/**
 * Whether the onset of a climb is told rightly: sessions of a database over a normal life and a mail gateway that answers
 * "try later" from a moment that is drawn, told from so many days of past.
 *
 * npm run bench -- climbs DAYS CLIMBS SEED
 */
const [days = '3', climbs = '300', seed = 'climbs'] = process.argv.slice(2);
const MINUTE = 60_000;
const DAY = 1440 * MINUTE;

const random = new Random(seed);
/** Minutes by which onsets are told late; early ones are below nought. */
const offs: number[] = [];
let unseen = 0;
for (let climb = 0; climb < Number(climbs); climb++) {
  const anchor = Date.UTC(2026, 4, 4) + climb * 3 * DAY + random.whole(1440) * MINUTE;
  const start = anchor - (100 + random.whole(1200)) * MINUTE;
  const from = anchor - Number(days) * DAY;
  const focus = {
    from: (start - (8 + random.whole(12)) * MINUTE) / 1000,
    to: (start + (35 + random.whole(20)) * MINUTE) / 1000,
  };
  const own = random.fork(climb);
  const episodes = { E7: { start, end: start + 90 * MINUTE, strength: 1 } };
  const values: number[] = [];
  for (let at = from; at < focus.to * 1000; at += MINUTE) {
    const sessions = ordinarySessions(at, anchor, own.fork(at));
    values.push(Math.round(sessions + mailState(episodes, at + MINUTE, sessions).sessions));
  }
  const deviation = deviationOf({ from: from / 1000, step: 60, values }, focus);
  if (deviation) offs.push((deviation.onset - start / 1000) / 60);
  else unseen++;
}
offs.sort((a, b) => a - b);
const share = (of: number): string => offs[Math.floor(of * (offs.length - 1))]!.toFixed(1);
console.log(`${climbs} climbs, told from ${days} days: ${unseen} not seen`);
console.log(
  `early by more than a minute: ${offs.filter((off) => off < -1).length}; late by more than two: ${offs.filter((off) => off > 2).length}`,
);
console.log(
  `minutes late: least ${share(0)}, a tenth below ${share(0.1)}, half below ${share(0.5)}, nine tenths below ${share(0.9)}, most ${share(1)}`,
);
