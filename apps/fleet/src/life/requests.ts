import { demandAt, MINUTE, SECOND } from '../world/clock.js';
import {
  CLIENT_VERSIONS,
  CONCESSIONS,
  type Instance,
  INSTANCES,
  PORTS,
  serviceNamed,
  VESSELS,
} from '../world/company.js';
import type { LeaseSecond } from '../episodes/lease-cut.js';
import { access, type Level, type Line, type Fields, say } from '../world/line.js';
import type { Random } from '../world/random.js';

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
}

/** One passenger's request on its way through the services. */
interface Trip {
  at: number;
  trace: string;
  client: string;
  agent: string;
  port: string;
  sailing: string;
  vessel: string;
  concession: string;
  random: Random;
  minute: Minute;
  lines: Line[];
}

type Flow = (trip: Trip) => void;

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

export function requestsOf(minute: Minute, random: Random): Line[] {
  const lines: Line[] = [];
  const mean = REQUESTS_PER_MINUTE * minute.scale * demandAt(minute.start, minute.anchor);
  for (let left = random.poisson(mean); left > 0; left--) {
    const trip: Trip = {
      at: minute.start + random.between(0, MINUTE),
      trace: random.hex(32),
      client: `10.${20 + random.whole(4)}.${random.whole(250)}.${1 + random.whole(250)}`,
      agent: `kittiwake-app/${random.pick(CLIENT_VERSIONS)} (${random.pick(['android', 'ios', 'kiosk'])})`,
      port: random.pick(PORTS),
      sailing: `SL-${10_000 + (Math.floor(minute.start / (6 * 60 * MINUTE)) % 900) * 10 + random.whole(40)}`,
      vessel: random.pick(VESSELS),
      concession: random.pick(CONCESSIONS),
      random,
      minute,
      lines,
    };
    let place = random.whole(FLOWS.reduce((sum, [weight]) => sum + weight, 0));
    FLOWS.find(([weight]) => (place -= weight) < 0)![1](trip);
  }
  return lines;
}

const instanceOf = (service: string, random: Random): Instance => random.pick(INSTANCES.get(service)!);

function edge(trip: Trip, method: string, path: string, status: number, took: number): void {
  const { at, client, agent, random } = trip;
  const bytes = status >= 500 ? 97 : random.whole(1800) + 120;
  trip.lines.push(
    access(instanceOf('gate-edge', random), at + took, { method, path, status, bytes, client, agent }),
  );
}

function tell(
  trip: Trip,
  service: string,
  after: number,
  level: Level,
  text: string,
  fields: Fields = {},
): void {
  const from = instanceOf(service, trip.random);
  const more = serviceNamed(service).speech === 'json' ? { ...fields, trace: trip.trace } : fields;
  trip.lines.push(say(from, trip.at + after, level, text, more));
}

/** Residency is asked for every request with a concession; with debug lines on, every key it misses is told. */
function residency(trip: Trip, after: number): void {
  const { random, minute } = trip;
  if (random.chance(0.12))
    tell(
      trip,
      'residency-registry',
      after,
      'INFO',
      `residency confirmed for pass P-${random.whole(900_000) + 100_000}`,
      { concession: trip.concession },
    );
  if (!minute.chatty) return;
  for (let left = random.poisson(13); left > 0; left--) {
    tell(
      trip,
      'residency-registry',
      after + random.between(0, 40),
      'DEBUG',
      `cache miss for residency key rk:${random.hex(16)}, asking the register`,
      { shard: random.whole(16) },
    );
  }
}

function scanPass(trip: Trip): void {
  const { random } = trip;
  const took = random.duration(28);
  residency(trip, 4);
  if (random.chance(0.006)) {
    tell(
      trip,
      'boarding-api',
      took,
      'WARN',
      `pass P-${random.whole(900_000) + 100_000} refused: ${random.pick(['already used', 'wrong sailing', 'expired'])}`,
      { sailing: trip.sailing },
    );
    edge(trip, 'POST', '/v1/passes/scan', 409, took + 3);
    return;
  }
  tell(
    trip,
    'boarding-api',
    took,
    'INFO',
    `pass P-${random.whole(900_000) + 100_000} accepted at gate ${1 + random.whole(8)} in ${took.toFixed(0)}ms`,
    { sailing: trip.sailing, port: trip.port },
  );
  edge(trip, 'POST', '/v1/passes/scan', 200, took + 3);
}

/** A berth lease for the request: granted, or not in time. */
function lease(trip: Trip): { granted: boolean; took: number } {
  const { random, minute } = trip;
  const second = minute.leases[Math.min(59, Math.floor((trip.at - minute.start) / SECOND))]!;
  if (random.chance(second.failing)) return { granted: false, took: 2000 };
  const took = Math.min(1990, random.duration(second.wait));
  const berth = `${trip.port}/${1 + random.whole(3)}`;
  tell(trip, 'berth-allocator', took, 'INFO', 'lease granted', {
    sailing: trip.sailing,
    berth,
    took: `${took.toFixed(1)}ms`,
    token: tokenAt(trip.at),
  });
  return { granted: true, took };
}

/** Fencing tokens rise with time. */
export const tokenAt = (at: number): number => Math.floor(at / 250) % 10_000_000;

function planBerth(trip: Trip): { granted: boolean; took: number } {
  const { granted, took } = lease(trip);
  if (!granted) {
    tell(
      trip,
      'sailing-planner',
      took + 4,
      'ERROR',
      `berth lease for ${trip.sailing} not granted within 2000ms`,
      { port: trip.port, vessel_class: trip.vessel },
    );
  } else if (took > 900) {
    tell(
      trip,
      'sailing-planner',
      took + 4,
      'WARN',
      `berth lease for ${trip.sailing} took ${took.toFixed(0)}ms`,
      { port: trip.port, vessel_class: trip.vessel },
    );
  }
  return { granted, took };
}

function board(trip: Trip): void {
  const { random } = trip;
  residency(trip, 3);
  const { granted, took } = planBerth(trip);
  const all = took + random.duration(35);
  if (granted) {
    tell(
      trip,
      'boarding-api',
      all,
      'INFO',
      `boarded ${1 + random.whole(5)} passengers on ${trip.sailing} in ${all.toFixed(0)}ms`,
      { port: trip.port, concession: trip.concession },
    );
    edge(trip, 'POST', '/v1/boardings', 201, all + 4);
  } else {
    tell(trip, 'boarding-api', all, 'WARN', `boarding on ${trip.sailing} deferred, no berth lease`, {
      port: trip.port,
    });
    edge(trip, 'POST', '/v1/boardings', 503, all + 4);
  }
}

function plan(trip: Trip): void {
  const { random } = trip;
  const { granted, took } = planBerth(trip);
  const all = took + random.duration(40);
  if (granted)
    tell(trip, 'sailing-planner', all, 'INFO', `plan for ${trip.sailing} made in ${all.toFixed(0)}ms`, {
      port: trip.port,
      vessel_class: trip.vessel,
    });
  edge(trip, 'GET', `/v1/sailings/${trip.sailing}/plan`, granted ? 200 : 503, all + 4);
}

function quote(trip: Trip): void {
  const { random } = trip;
  const took = random.duration(48);
  residency(trip, 6);
  tell(
    trip,
    'fare-quoter',
    took,
    'INFO',
    `quote Q-${random.hex(8)} priced at ${random.between(4, 90).toFixed(2)} EUR`,
    { concession: trip.concession, port: trip.port, took_ms: Math.round(took) },
  );
  edge(trip, 'POST', '/v1/quotes', random.chance(0.001) ? 503 : 200, took + 3);
}

function timetable(trip: Trip): void {
  const { random } = trip;
  edge(trip, 'GET', `/v1/timetable/${trip.port}`, 200, random.duration(12));
}
