import { MINUTE, SECOND } from '../world/clock.js';
import type { Random } from '../world/random.js';
import { isOn, type Placement } from './placement.js';

/**
 * E1: a configuration change cuts the lease time of berths from 30 s to 3 s.
 *
 * What follows is worked out, second by second, from how leases work. An allocator renews each lease at a
 * third of its time. It also stalls now and then (garbage collection, a slow disk): short stalls often,
 * longer ones seldom. A stall longer than what is left of a lease loses the lease; with 30 s that does not
 * happen. A write that is under way when its lease is lost carries an outdated fencing token and is
 * refused. A lost lease is free only once its time is over and somebody has taken it anew. Whoever needs a
 * berth meanwhile queues: queues fill up behind the losses, requests get slower with them, and last the first
 * of them run out of time. Each allocator reads its configuration anew at its own moment.
 */
/** How the leases stand in one second. */
export interface LeaseSecond {
  leaseSeconds: number;
  /** Renewals and acquisitions at the lock store. */
  operations: number;
  /** Allocator instances (by index) that lost leases in this second, and how many writes were under way. */
  lost: { instance: number; rejected: number }[];
  /** Requests waiting for a lease. */
  queue: number;
  /** Chance that a request that needs a lease runs out of time. */
  failing: number;
  /** Milliseconds that a request waits for its lease. */
  wait: number;
}

const LEASES = 24;
const ALLOCATORS = 4;
/** Stalls of one allocator in a second. */
const STALLS = 1 / 12;
const MEAN_STALL_SECONDS = 1.1;
/** Share of lost leases on which a write was under way at that very moment. */
const WRITING = 0.05;
/** Seconds after which the next allocator has read its configuration anew. */
const PICKED_UP = 15;
/** Seconds in which queues fill up behind leases that are lost, and in which those who wait give up. */
const FILLS = 120;
const GIVES_UP = 45;
/** A request gives up after this long. */
const TIMEOUT_SECONDS = 2;
/** Clients try again this often, so that more wait than came. */
const TRIES = 6;
/** Even a healthy lease store keeps one request in a thousand waiting too long. */
const HABITUAL_FAILURES = 0.001;
/** Milliseconds by which requests are slower where that comes first. */
const SLOW_WAIT = 240;

/** The leases of all berths, second by second. */
export class LeaseModel {
  /** Berths without a lease; the part of all that queues have filled up to; the part that gives up waiting. */
  private blocked = 0;
  private filled = 0;
  private given = 0;

  constructor(
    private readonly random: Random,
    private readonly episode: Placement | undefined,
    private next: number,
    /** Requests become slow at once, all else so many milliseconds later. */
    private readonly slowBefore = 0,
  ) {}

  /** The state in each of the seconds of a minute. Minutes are asked for in their order. */
  minute(start: number, requestsPerSecond: number): LeaseSecond[] {
    if (start !== this.next) throw new Error('Minutes are to be asked for in their order.');
    this.next = start + MINUTE;
    const random = this.random.fork(start);
    return Array.from({ length: 60 }, (_, second) =>
      this.step(start + second * SECOND, requestsPerSecond, random),
    );
  }

  private step(at: number, requests: number, random: Random): LeaseSecond {
    const { episode } = this;
    const slow = this.slowBefore > 0 && isOn(episode, at);
    const leaseOf = (instance: number): number =>
      isOn(episode, at) && at >= episode.start + this.slowBefore + instance * PICKED_UP * SECOND ? 3 : 30;
    const leases = Array.from({ length: ALLOCATORS }, (_, instance) => leaseOf(instance));
    const leaseSeconds = Math.min(...leases);
    // The more leases are contended for, the busier the lease store, and the longer and commoner the stalls.
    const pressure = Math.min(3, 1 + 6 * (this.blocked / LEASES));
    const lost: LeaseSecond['lost'] = [];
    for (let instance = 0; instance < ALLOCATORS; instance++) {
      const own = leases[instance]!;
      if (!random.chance(STALLS * pressure * (own < 30 ? episode!.strength : 1))) continue;
      const stall = random.exponential(MEAN_STALL_SECONDS) * pressure;
      // On average half of the renewal interval has gone by when a stall begins.
      if (stall < own - own / 6) continue;
      const held = (LEASES / ALLOCATORS) * (1 - this.blocked / LEASES);
      this.blocked += held;
      lost.push({ instance, rejected: random.poisson(held * WRITING) });
    }
    // A lost lease is taken anew after its time is over; contention makes that slower.
    const retake = leaseSeconds * 2 * pressure;
    this.blocked = Math.min(LEASES * 0.8, this.blocked * (1 - 1 / retake));
    const share = this.blocked / LEASES;
    this.filled += (share - this.filled) / FILLS;
    this.given += (this.filled - this.given) / GIVES_UP;
    const renewals = leases.reduce((sum, own) => sum + ((LEASES / ALLOCATORS) * 3) / own, 0);
    return {
      leaseSeconds,
      operations: renewals + requests * (1 + share * TRIES),
      lost,
      queue: Math.round(requests * this.filled * retake * TRIES),
      failing: HABITUAL_FAILURES + this.given * Math.exp(-TIMEOUT_SECONDS / retake),
      wait:
        15 +
        (slow ? SLOW_WAIT * episode.strength : 0) +
        this.filled * Math.min(retake, TIMEOUT_SECONDS) * 1000,
    };
  }
}
