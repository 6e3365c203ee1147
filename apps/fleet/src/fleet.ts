import { type LeaseCut, LeaseModel, type LeaseSecond } from './episodes/lease-cut.js';
import { noveltyOf } from './life/novelty.js';
import { LEASE_SHARE, requestsOf, REQUESTS_PER_MINUTE, tokenAt } from './life/requests.js';
import { decoyRollout, missedBeat, routineOf } from './life/routine.js';
import { DAY, demandAt, HISTORY_DAYS, HOUR, MINUTE, SECOND } from './world/clock.js';
import { INSTANCES, PORTS } from './world/company.js';
import { type Line, say } from './world/line.js';
import { Random } from './world/random.js';

export interface FleetOptions {
  seed: string;
  /** The moment that history leads up to; milliseconds since 1970. */
  anchor: number;
  /** How much traffic there is, 1 being about 1.2 million lines in eight days. */
  scale?: number;
  /** Where the episode lies, or none. By default it began 40 minutes before the anchor and lasts two hours. */
  leaseCut?: LeaseCut | null;
}

/** Debug lines of one service were turned on a day ago and forgotten. */
const CHATTY_FOR = DAY;

/**
 * The simulated fleet. Every minute depends on the seed, the anchor and its own number only, so that the
 * same options give the same lines, wherever one begins.
 */
export class Fleet {
  readonly start: number;
  readonly leaseCut: LeaseCut | undefined;
  private readonly anchor: number;
  private readonly scale: number;
  private readonly random: Random;
  private model: LeaseModel | undefined;
  private modelled: number;

  constructor(options: FleetOptions) {
    this.anchor = Math.floor(options.anchor / MINUTE) * MINUTE;
    this.scale = options.scale ?? 1;
    this.start = this.anchor - HISTORY_DAYS * DAY;
    this.random = new Random(`kittiwake/${options.seed}`);
    const standard = { start: this.anchor - 40 * MINUTE, end: this.anchor + 80 * MINUTE, strength: 1 };
    this.leaseCut = options.leaseCut === null ? undefined : (options.leaseCut ?? standard);
    this.modelled = this.leaseCut ? Math.floor(this.leaseCut.start / MINUTE) * MINUTE : Infinity;
  }

  /** All lines of the minute that begins at a moment, in the order of their times. */
  minute(start: number): Line[] {
    const random = this.random.fork(`minute ${(start - this.anchor) / MINUTE}`);
    const leases = this.leases(start);
    const minute = {
      start,
      anchor: this.anchor,
      scale: this.scale,
      chatty: start >= this.anchor - CHATTY_FOR,
      leases,
    };
    const lines = [
      ...requestsOf(minute, random.fork('requests')),
      ...routineOf(start, this.anchor, random.fork('routine')),
      ...noveltyOf(start, random.fork('novelty')),
      ...this.leaseLines(start, leases, random.fork('leases')),
    ];
    return lines.sort((a, b) => a.at - b.at);
  }

  /** What is true about the data, for judging what is found in them. */
  truth(): object {
    const iso = (at: number): string => new Date(at).toISOString();
    const { leaseCut } = this;
    return {
      anchor: iso(this.anchor),
      start: iso(this.start),
      episodes: leaseCut
        ? [
            {
              id: 'E1',
              title: 'Lease time of berths cut from 30 s to 3 s',
              start: iso(leaseCut.start),
              end: iso(leaseCut.end),
              cause: {
                change: 'configuration',
                service: 'berth-allocator',
                key: 'lease_time',
                from: '30s',
                to: '3s',
              },
              firstSignal: 'lock-store operations',
              affected: {
                service: 'gate-edge',
                routes: ['POST /v1/boardings', 'GET /v1/sailings/*/plan'],
                status: 503,
              },
              signature: { service: 'berth-allocator', text: 'fencing token * rejected, lease lost' },
              foundBy: ['patterns'],
            },
          ]
        : [],
      decoys: [{ kind: 'rollout', ...decoyRollout(this.anchor), at: iso(decoyRollout(this.anchor).at) }],
      regular: [
        {
          service: 'tide-feed',
          text: 'gauge poll complete',
          every: '60s',
          missed: iso(missedBeat(this.anchor)),
        },
      ],
      noise: [{ service: 'residency-registry', text: 'cache miss for residency key *' }],
    };
  }

  private leases(start: number): readonly LeaseSecond[] {
    const requests = (REQUESTS_PER_MINUTE * LEASE_SHARE * demandAt(start, this.anchor)) / 60;
    if (start < this.modelled)
      return new LeaseModel(this.random.fork('calm'), undefined, start).minute(start, requests);
    this.model ??= new LeaseModel(this.random.fork('lease cut'), this.leaseCut, this.modelled);
    // A run that begins in the middle of the episode lives through its beginning first.
    for (; this.modelled < start; this.modelled += MINUTE) this.model.minute(this.modelled, requests);
    this.modelled = start + MINUTE;
    return this.model.minute(start, requests);
  }

  /** What the allocators and the lease store say of the leases. */
  private leaseLines(start: number, leases: readonly LeaseSecond[], random: Random): Line[] {
    const lines: Line[] = [];
    const allocators = INSTANCES.get('berth-allocator')!;
    const store = INSTANCES.get('lock-store')![0]!;
    const cut = this.leaseCut;
    if (cut && cut.start >= start && cut.start < start + MINUTE) {
      const fields = {
        revision: `cfg-${4500 + Math.floor((start - this.anchor) / HOUR)}`,
        key: 'lease_time',
        from: '30s',
        to: '3s',
      };
      allocators.forEach((instance, turn) =>
        lines.push(say(instance, cut.start + turn * 700, 'INFO', 'configuration reloaded', fields)),
      );
    }
    leases.forEach((second, index) => {
      const at = start + index * SECOND;
      for (const { instance, rejected } of second.lost) {
        for (let count = 0; count < rejected; count++) {
          const when = at + random.between(0, SECOND);
          const berth = `${random.pick(PORTS)}/${1 + random.whole(3)}`;
          const text = `fencing token ${tokenAt(when)} rejected, lease lost`;
          lines.push(
            say(allocators[instance]!, when, 'WARN', text, {
              berth,
              sailing: `SL-${10_000 + random.whole(9000)}`,
            }),
          );
        }
      }
      if (index % 20 === 10 && second.queue > 24) {
        lines.push(
          say(random.pick(allocators), at, 'WARN', 'lease queue is long', { depth: second.queue, limit: 24 }),
        );
      }
      if (random.chance((second.operations - 6) / 300)) {
        lines.push(
          say(
            store,
            at + random.between(0, SECOND),
            'WARN',
            `apply took ${random.duration(220).toFixed(0)}ms, longer than 100ms`,
          ),
        );
      }
    });
    return lines;
  }
}
