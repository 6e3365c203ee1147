import { depthAt, tooShallow } from '../episodes/double-offset.js';
import { clockOffset, freshPass } from '../episodes/fast-clock.js';
import { hullReads } from '../episodes/hull-tiles.js';
import type { LeaseSecond } from '../episodes/lease-cut.js';
import { mailState } from '../episodes/mail-retries.js';
import type { Placements } from '../episodes/placement.js';
import { tableWait } from '../episodes/settlement-lock.js';
import { demandAt, MINUTE, SECOND } from '../world/clock.js';
import { CLIENT_VERSIONS, CONCESSIONS, PORTS, VESSELS } from '../world/company.js';
import type { Random } from '../world/random.js';
import { type Stage, Trip } from './trip.js';

/** Requests a minute in an average hour, at scale 1. */
export const REQUESTS_PER_MINUTE = 22;

/** What the fleet is like in the minute that is simulated. */
export interface Minute {
  start: number;
  anchor: number;
  scale: number;
  /** Whether residency-registry writes its debug lines. */
  chatty: boolean;
  leases: readonly LeaseSecond[];
  episodes: Placements;
  /** Sessions of the database that all but notices hold. */
  sessions: number;
  /** Services that record what they are asked. */
  recording: ReadonlySet<string>;
}

/** Who asks, and for what. */
interface Passenger {
  minute: Minute;
  client: string;
  agent: string;
  port: string;
  berth: string;
  sailing: string;
  vessel: string;
  concession: string;
}

type Flow = (trip: Trip, who: Passenger) => void;

/** Kinds of request and how common they are. */
const FLOWS: [weight: number, flow: Flow][] = [
  [30, scanPass],
  [22, board],
  [14, plan],
  [24, quote],
  [16, timetable],
];

/** Requests that need a berth lease come at this share of all. */
export const LEASE_SHARE = (22 + 14) / (30 + 22 + 14 + 24 + 16);

/** The requests of a minute, each with its lines and spans. */
export function requestsOf(minute: Minute, random: Random): Trip[] {
  const trips: Trip[] = [];
  const mean = REQUESTS_PER_MINUTE * minute.scale * demandAt(minute.start, minute.anchor);
  for (let left = random.poisson(mean); left > 0; left--) {
    const at = minute.start + random.between(0, MINUTE);
    const version = random.pick(CLIENT_VERSIONS);
    const port = random.pick(PORTS);
    const who: Passenger = {
      minute,
      client: `10.${20 + random.whole(4)}.${random.whole(250)}.${1 + random.whole(250)}`,
      agent: `kittiwake-app/${version} (${random.pick(['android', 'ios', 'kiosk'])})`,
      port,
      berth: `${port}/${1 + random.whole(3)}`,
      sailing: `SL-${10_000 + (Math.floor(minute.start / (6 * 60 * MINUTE)) % 900) * 10 + random.whole(40)}`,
      vessel: random.pick(VESSELS),
      concession: random.pick(CONCESSIONS),
    };
    const asked = {
      'client.address': who.client,
      'user_agent.original': who.agent,
      app_version: version,
      sailing: who.sailing,
      port: who.port,
      vessel_class: who.vessel,
      concession: who.concession,
    };
    const trip = new Trip(at, random, asked, minute.recording);
    let place = random.whole(FLOWS.reduce((sum, [weight]) => sum + weight, 0));
    FLOWS.find(([weight]) => (place -= weight) < 0)![1](trip, who);
    trips.push(trip);
  }
  return trips;
}

const passNumber = (random: Random): string => `P-${random.whole(900_000) + 100_000}`;

/** Residency is asked for by whoever sells or scans; with debug lines on, every key it misses is told. */
function residency(asker: Stage, { concession, minute }: Passenger): void {
  const { random } = asker.trip;
  const own = asker.call('residency-registry', 'confirm residency');
  own.work(random.duration(2.5));
  if (minute.chatty) {
    for (let left = random.poisson(13); left > 0; left--) {
      own.work(random.between(0, 0.6));
      own.say('DEBUG', `cache miss for residency key rk:${random.hex(16)}, asking the register`, {
        shard: random.whole(16),
      });
    }
  }
  if (random.chance(0.12))
    own.say('INFO', `residency confirmed for pass ${passNumber(random)}`, { concession });
  own.end();
}

function scanPass(trip: Trip, who: Passenger): void {
  const { random } = trip;
  const edge = trip.open('POST', '/v1/passes/scan', '/v1/passes/scan');
  const boarding = edge.call('boarding-api', 'scan pass');
  boarding.attributes.sailing = who.sailing;
  residency(boarding, who);
  const took = random.duration(24);
  boarding.query('ledger', 'ledger-db', 'select valid_from, used from passes where number = $1', took * 0.3);
  boarding.work(took * 0.7);
  const ahead = clockOffset(who.minute.episodes, trip.at, boarding.from);
  if (ahead > 0 && random.chance(freshPass(ahead))) {
    const early = random.between(1, ahead);
    boarding.attributes['pass.issued_before'] = Number((ahead - early).toFixed(1));
    boarding.say('WARN', `pass ${passNumber(random)} refused: not valid yet`, {
      sailing: who.sailing,
      valid_in: `${early.toFixed(1)}s`,
    });
    boarding.fail('pass not valid yet');
    boarding.end();
    edge.answer(422, who.client, who.agent);
    return;
  }
  if (random.chance(0.006)) {
    const reason = random.pick(['already used', 'wrong sailing', 'expired']);
    boarding.say('WARN', `pass ${passNumber(random)} refused: ${reason}`, { sailing: who.sailing });
    boarding.end();
    edge.answer(409, who.client, who.agent);
    return;
  }
  boarding.say(
    'INFO',
    `pass ${passNumber(random)} accepted at gate ${1 + random.whole(8)} in ${took.toFixed(0)}ms`,
    { sailing: who.sailing, port: who.port },
  );
  boarding.end();
  edge.answer(200, who.client, who.agent);
}

/** Fencing tokens rise with time. */
export const tokenAt = (at: number): number => Math.floor(at / 250) % 10_000_000;

const LEASE_TIMEOUT = 2000;

/** A berth for a sailing: water deep enough, and a lease on it in time. Says why not where there is none. */
function planBerth(planner: Stage, who: Passenger): { granted: boolean; status: number } {
  const { trip } = planner;
  const { random } = trip;
  const { minute, berth, sailing, vessel, port } = who;
  planner.attributes.vessel_class = vessel;
  planner.attributes.berth = berth;
  for (let reads = hullReads(minute.episodes, trip.at, vessel, random); reads > 0; reads--)
    planner.query(
      'ledger',
      'ledger-db',
      'select body from hull_tiles where vessel = $1 and tile = $2',
      random.duration(11, 0.3),
    );
  const depth = depthAt(minute.episodes, trip.at, berth);
  const tide = planner.call('tide-feed', 'depth at berth');
  tide.work(random.duration(1.6));
  tide.attributes.berth = berth;
  tide.attributes.depth = Number(depth.toFixed(2));
  tide.end();
  if (tooShallow(depth)) {
    planner.say('WARN', `sailing ${sailing} refused: berth ${berth} too shallow, ${depth.toFixed(2)}m`, {
      port,
      vessel_class: vessel,
    });
    planner.fail('berth too shallow');
    return { granted: false, status: 409 };
  }
  const second = minute.leases[Math.min(59, Math.floor((trip.at - minute.start) / SECOND))]!;
  const allocator = planner.call('berth-allocator', 'lease berth');
  allocator.attributes.berth = berth;
  const failing = random.chance(second.failing);
  const took = failing ? LEASE_TIMEOUT : Math.min(LEASE_TIMEOUT - 10, random.duration(second.wait));
  const store = Math.min(took, random.duration(3));
  allocator.query('lease', 'lock-store', 'acquire berth-lease', store);
  allocator.work(took - store);
  if (failing) {
    allocator.fail('lease not granted in time');
    allocator.end();
    planner.say('ERROR', `berth lease for ${sailing} not granted within ${LEASE_TIMEOUT}ms`, {
      port,
      vessel_class: vessel,
    });
    planner.fail('berth lease not granted');
    return { granted: false, status: 503 };
  }
  allocator.say('INFO', 'lease granted', {
    sailing,
    berth,
    took: `${took.toFixed(1)}ms`,
    token: tokenAt(trip.at),
  });
  allocator.end();
  if (took > 900)
    planner.say('WARN', `berth lease for ${sailing} took ${took.toFixed(0)}ms`, {
      port,
      vessel_class: vessel,
    });
  return { granted: true, status: 200 };
}

function board(trip: Trip, who: Passenger): void {
  const { random } = trip;
  const edge = trip.open('POST', '/v1/boardings', '/v1/boardings');
  const boarding = edge.call('boarding-api', 'board');
  residency(boarding, who);
  const planner = boarding.call('sailing-planner', 'assign place');
  planner.work(random.duration(9));
  const { granted, status } = planBerth(planner, who);
  planner.end();
  boarding.work(random.duration(20));
  if (granted) {
    const passengers = 1 + random.whole(5);
    boarding.attributes.passengers = passengers;
    boarding.query('ledger', 'ledger-db', 'insert into boardings values ($1, $2, $3)', random.duration(6));
    boarding.say(
      'INFO',
      `boarded ${passengers} passengers on ${who.sailing} in ${(boarding.now - trip.at).toFixed(0)}ms`,
      { port: who.port, concession: who.concession },
    );
    notice(boarding, who);
  } else {
    const why = status === 503 ? 'no berth lease' : 'berth too shallow';
    boarding.say('WARN', `boarding on ${who.sailing} deferred, ${why}`, { port: who.port });
    boarding.fail(`deferred, ${why}`);
  }
  boarding.end();
  edge.answer(granted ? 201 : status, who.client, who.agent);
}

/** Some passengers want a mail; it is sent after the answer, which does not wait for it. */
function notice(boarding: Stage, { minute }: Passenger): void {
  const { trip } = boarding;
  if (!trip.random.chance(0.25)) return;
  const mail = mailState(minute.episodes, trip.at, minute.sessions);
  const before = boarding.now;
  const sender = boarding.call('notice-sender', 'send notice');
  const id = `N-${trip.random.hex(8)}`;
  if (mail.full) {
    sender.query('ledger', 'ledger-db', 'insert into notices values ($1, $2)', 30, 'too many sessions');
    sender.say('ERROR', `notice ${id} not kept: ledger-db refuses a session`, { notice: id });
    sender.fail('no session');
  } else {
    sender.query('ledger', 'ledger-db', 'insert into notices values ($1, $2)', trip.random.duration(5));
    if (trip.random.chance(mail.putOff)) {
      sender.work(trip.random.duration(90));
      sender.say('WARN', `mail gateway answers 451 try later, notice ${id} tried again`, {
        notice: id,
        waiting: Math.round(mail.retrying),
      });
    } else {
      sender.work(trip.random.duration(60));
      sender.say('INFO', `notice ${id} handed over to the mail gateway`, { notice: id });
    }
  }
  sender.end();
  boarding.now = before + 0.8;
}

function plan(trip: Trip, who: Passenger): void {
  const { random } = trip;
  const edge = trip.open('GET', '/v1/sailings/*/plan', `/v1/sailings/${who.sailing}/plan`);
  const planner = edge.call('sailing-planner', 'make plan');
  planner.work(random.duration(16));
  const { granted, status } = planBerth(planner, who);
  planner.work(random.duration(14));
  if (granted)
    planner.say('INFO', `plan for ${who.sailing} made in ${(planner.now - trip.at).toFixed(0)}ms`, {
      port: who.port,
      vessel_class: who.vessel,
    });
  planner.end();
  edge.answer(status, who.client, who.agent);
}

function quote(trip: Trip, who: Passenger): void {
  const { random } = trip;
  const edge = trip.open('POST', '/v1/quotes', '/v1/quotes');
  const quoter = edge.call('fare-quoter', 'price trip');
  // Whoever waits for a lock of a table does nothing that could be recorded.
  quoter.work(tableWait(who.minute.episodes, trip.at) * random.between(0.9, 1.1));
  residency(quoter, who);
  quoter.query(
    'ledger',
    'ledger-db',
    'select fare from fares where port = $1 and concession = $2',
    random.duration(9),
  );
  quoter.work(random.duration(22));
  const price = random.between(4, 90);
  quoter.attributes.price = Number(price.toFixed(2));
  quoter.say('INFO', `quote Q-${random.hex(8)} priced at ${price.toFixed(2)} EUR`, {
    concession: who.concession,
    port: who.port,
    took_ms: Math.round(quoter.now - trip.at),
  });
  quoter.end();
  edge.answer(random.chance(0.001) ? 503 : 200, who.client, who.agent);
}

function timetable(trip: Trip, who: Passenger): void {
  const edge = trip.open('GET', '/v1/timetable/*', `/v1/timetable/${who.port}`);
  const planner = edge.call('sailing-planner', 'timetable');
  planner.work(trip.random.duration(9));
  planner.end();
  edge.answer(200, who.client, who.agent);
}
