import { clockOffset } from '../episodes/fast-clock.js';
import { mailState, SESSION_LIMIT } from '../episodes/mail-retries.js';
import { demandAt, HOUR, MINUTE, SECOND } from '../world/clock.js';
import { type Instance, INSTANCES, SERVICES } from '../world/company.js';
import type { Random } from '../world/random.js';
import type { Measurement } from '../world/signals.js';
import type { Minute } from './requests.js';
import type { Trip } from './trip.js';

/** Bounds of the buckets of durations, in seconds. */
const BOUNDS = [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10];

/** Calls that one instance answered. */
interface Answered {
  ok: number[];
  failed: number[];
  okSum: number;
  failedSum: number;
  slowest?: { took: number; trace: string; span: string; at: number };
}

/** What the fleet did in a stretch of time. */
export interface Activity {
  answered: Map<string, Answered>;
  boardings: number;
  quotes: number;
  revenue: number;
}

const noAnswers = (): Answered => ({
  ok: new Array<number>(BOUNDS.length + 1).fill(0),
  failed: new Array<number>(BOUNDS.length + 1).fill(0),
  okSum: 0,
  failedSum: 0,
});

const bucketOf = (seconds: number): number => {
  const at = BOUNDS.findIndex((bound) => seconds <= bound);
  return at < 0 ? BOUNDS.length : at;
};

/** Counts what requests came to. */
export function activityOf(trips: readonly Trip[]): Activity {
  const activity: Activity = { answered: new Map(), boardings: 0, quotes: 0, revenue: 0 };
  for (const { spans, trace } of trips) {
    for (const { from, kind, took, failure, id, at, attributes } of spans) {
      if (kind !== 'server') continue;
      let own = activity.answered.get(from.name);
      if (!own) activity.answered.set(from.name, (own = noAnswers()));
      const seconds = took / 1000;
      own[failure === undefined ? 'ok' : 'failed'][bucketOf(seconds)]!++;
      own[failure === undefined ? 'okSum' : 'failedSum'] += seconds;
      if (!own.slowest || seconds > own.slowest.took) own.slowest = { took: seconds, trace, span: id, at };
      if (typeof attributes.passengers === 'number' && failure === undefined)
        activity.boardings += attributes.passengers;
      if (typeof attributes.price === 'number') {
        activity.quotes++;
        activity.revenue += attributes.price * 0.4;
      }
    }
  }
  return activity;
}

/** Calls of a service in a minute of average demand, and their usual time in seconds. */
const USUAL: Record<string, [calls: number, seconds: number]> = {
  'gate-edge': [22, 0.05],
  'boarding-api': [10.8, 0.045],
  'sailing-planner': [10.8, 0.035],
  'berth-allocator': [7.5, 0.016],
  'fare-quoter': [5, 0.038],
  'residency-registry': [15.8, 0.004],
  'notice-sender': [1.1, 0.07],
  'tide-feed': [7.5, 0.0018],
};

/** What the fleet did in times of which no request is kept: as much as the demand lets expect. */
export function expectedActivity(at: number, length: number, anchor: number, random: Random): Activity {
  const demand = (demandAt(at, anchor) * length) / MINUTE;
  const activity: Activity = { answered: new Map(), boardings: 0, quotes: 0, revenue: 0 };
  for (const [service, [calls, seconds]] of Object.entries(USUAL)) {
    const own = INSTANCES.get(service)!;
    for (const { name } of own) {
      const answered = noAnswers();
      const count = random.poisson((calls * demand) / own.length);
      for (let index = 0; index < count; index++) {
        const took = random.duration(seconds, 0.6);
        const fate = random.chance(0.0007) ? 'failed' : 'ok';
        answered[fate][bucketOf(took)]!++;
        answered[fate === 'ok' ? 'okSum' : 'failedSum'] += took;
      }
      activity.answered.set(name, answered);
    }
  }
  activity.boardings = random.poisson(4.57 * 3 * demand);
  activity.quotes = random.poisson(5 * demand);
  activity.revenue = activity.quotes * 47 * 0.4;
  return activity;
}

/** Moments of time that are measured. */
export interface Stretch {
  at: number;
  length: number;
  anchor: number;
  minute: Minute;
}

const total = (counts: readonly number[]): number => counts.reduce((sum, count) => sum + count, 0);

/** All that is measured over a stretch of time: what requests came to, and how the instances are. */
export function measured(stretch: Stretch, activity: Activity, random: Random): Measurement[] {
  const all: Measurement[] = [];
  const at = stretch.at + stretch.length;
  for (const { name } of SERVICES)
    for (const instance of INSTANCES.get(name)!)
      all.push(...ofInstance(instance, stretch, activity.answered.get(instance.name), random, at));
  all.push(...ofStores(stretch, random, at));
  for (const [metric, unit, value] of [
    ['boardings', '{passenger}', activity.boardings],
    ['quotes', '{quote}', activity.quotes],
    ['revenue', 'EUR', Number(activity.revenue.toFixed(2))],
  ] as const)
    all.push({ metric, unit, at, value, counted: true });
  return all;
}

const round = (value: number, decimals = 3): number => Number(value.toFixed(decimals));

function ofInstance(
  instance: Instance,
  { minute, length, at: start }: Stretch,
  answered: Answered | undefined,
  random: Random,
  at: number,
): Measurement[] {
  const perMinute = (count: number): number => (count * MINUTE) / length;
  const calls = answered ? perMinute(total(answered.ok) + total(answered.failed)) : 0;
  const level = (metric: string, unit: string, value: number): Measurement => ({
    from: instance,
    metric,
    unit,
    at,
    value,
  });
  const worst = minute.leases.reduce((most, { queue }) => Math.max(most, queue), 0);
  const queue =
    instance.service === 'berth-allocator'
      ? worst / 4 + random.between(0, 2)
      : random.poisson(0.3 + calls / 60);
  const cpu = Math.min(
    0.97,
    0.06 +
      calls * 0.012 +
      (instance.service === 'berth-allocator' ? worst * 0.004 : 0) +
      random.between(0, 0.03),
  );
  // Memory is collected now and then; each instance at moments of its own.
  const collected = ((start / HOUR + instance.name.length * 0.37) % 2) / 2;
  const connections = 12 + calls * 0.8 + queue * 0.7 + random.poisson(3);
  const found: Measurement[] = [
    level('process.cpu.utilization', '1', round(cpu)),
    level('process.cpu.utilization.max', '1', round(Math.min(1, cpu * random.between(1.2, 1.7)))),
    level('process.memory.usage', 'By', Math.round((240 + 160 * collected + calls) * 1e6)),
    level('process.open_connections', '{connection}', Math.round(connections)),
    level('process.open_connections.limit', '{connection}', 512),
    level('process.open_file_descriptor.count', '{file}', Math.round(60 + connections * 1.1)),
    level('process.thread.utilization', '1', round(Math.min(1, 0.1 + connections / 400))),
    level(
      'system.clock.offset',
      's',
      round(clockOffset(minute.episodes, at, instance) + random.between(-0.02, 0.02)),
    ),
    level('queue.depth', '{request}', Math.round(queue)),
  ];
  if (!answered) return found;
  for (const fate of ['ok', 'failed'] as const) {
    const counts = answered[fate];
    const count = total(counts);
    if (count === 0) continue;
    const sum = fate === 'ok' ? answered.okSum : answered.failedSum;
    const { slowest } = answered;
    found.push({
      from: instance,
      metric: 'server.request.duration',
      unit: 's',
      at,
      labels: { outcome: fate },
      histogram: { bounds: BOUNDS, counts, sum: round(sum, 6), count },
      ...(slowest &&
        fate === 'ok' && {
          exemplar: {
            trace: slowest.trace,
            span: slowest.span,
            value: round(slowest.took, 6),
            at: slowest.at,
          },
        }),
    });
  }
  return found;
}

/** Sessions of the database that all but notices hold. */
export const ordinarySessions = (at: number, anchor: number, random: Random): number =>
  Math.round(28 + demandAt(at, anchor) * 14 + random.between(0, 5));

function ofStores({ minute, length, anchor, at: start }: Stretch, random: Random, at: number): Measurement[] {
  const ledger = INSTANCES.get('ledger-db')![0]!;
  const locks = INSTANCES.get('lock-store')![0]!;
  const first = Math.floor((start - minute.start) / SECOND);
  const seconds = minute.leases.slice(first, first + Math.ceil(length / SECOND));
  const own = seconds.length > 0 ? seconds : minute.leases;
  const operations =
    (own.reduce((sum, second) => sum + second.operations, 0) / own.length) * (length / SECOND);
  const mail = mailState(minute.episodes, at, minute.sessions);
  // It flaps every twenty minutes, always has.
  const stale = Math.floor(start / MINUTE) % 20 === 3;
  const all: Measurement[] = [
    {
      from: ledger,
      metric: 'db.sessions.active',
      unit: '{session}',
      at,
      value: Math.round(minute.sessions + mail.sessions),
    },
    { from: ledger, metric: 'db.sessions.limit', unit: '{session}', at, value: SESSION_LIMIT },
    {
      from: locks,
      metric: 'store.operations',
      unit: '{operation}',
      at,
      value: Math.round(operations),
      counted: true,
    },
    {
      from: INSTANCES.get('fare-quoter')![1]!,
      metric: 'rates.age',
      unit: 's',
      at,
      value: stale ? 600 + random.whole(30) : 5 + random.whole(50),
    },
  ];
  const hosts = new Map([...INSTANCES.values()].flat().map((instance) => [instance.host, instance]));
  for (const [host, { site }] of hosts) {
    const days = (start - anchor) / (24 * HOUR);
    const used = 0.52 + 0.01 * (host.charCodeAt(4) % 7) + 0.002 * days + random.between(0, 0.004);
    all.push({
      metric: 'system.disk.utilization',
      unit: '1',
      at,
      value: round(used),
      labels: { host, site },
    });
  }
  return all;
}
