import { BERTHS, CALIBRATION_OFFSET, STATION } from './episodes/double-offset.js';
import { LeaseModel, type LeaseSecond } from './episodes/lease-cut.js';
import { mailState, SESSION_LIMIT, toldPerMinute } from './episodes/mail-retries.js';
import { isOn, type Placements, usualPlacements } from './episodes/placement.js';
import { truthOf } from './episodes/truth.js';
import type { Variant } from './episodes/variants.js';
import { changesOf } from './life/changes.js';
import { failedRuns, type JobWorld, jobsOf, type Retry, retryId, stuckImport } from './life/jobs.js';
import { activityOf, expectedActivity, measured, ordinarySessions } from './life/metrics.js';
import { noveltyOf } from './life/novelty.js';
import { LEASE_SHARE, type Minute, REQUESTS_PER_MINUTE, requestsOf, tokenAt } from './life/requests.js';
import { probesOf } from './life/probes.js';
import { routineOf } from './life/routine.js';
import type { Trip } from './life/trip.js';
import { DAY, demandAt, HISTORY_DAYS, HOUR, MINUTE, SECOND } from './world/clock.js';
import { INSTANCES, PORTS } from './world/company.js';
import { Emissions } from './world/emission.js';
import { type Line, say } from './world/line.js';
import { Random } from './world/random.js';
import { addSignals, type Measurement, noSignals, type RunEvent, type Signals } from './world/signals.js';

export interface FleetOptions {
  seed: string;
  /** The moment that history leads up to; milliseconds since 1970. */
  anchor: number;
  /** How much traffic there is, 1 being about 1.2 million lines in eight days. */
  scale?: number;
  /** Where the episodes lie; as the demo has them where nothing is given, none of those left out. */
  episodes?: Placements;
  variants?: readonly Variant[];
}

/** Debug lines of one service were turned on a day ago and forgotten. */
const CHATTY_FOR = DAY;
/** Series reach this far back, of requests that are not kept. */
const SERIES_DAYS = 35;
const COARSE = 10 * MINUTE;
/** Of requests that went well and fast one in so many is kept; the others are only counted. */
const SAMPLED = 8;
const SLOW_MS = 400;
/** By so much requests are slow before leases are lost, where latency comes first. */
export const SLOW_BEFORE = 3 * MINUTE;
/** For so long a run that failed can be tried again. */
const RETRIED_FOR = 6 * HOUR;

/**
 * The simulated fleet. Every minute depends on the seed, the anchor and its own number only, so that the
 * same options give the same signals, wherever one begins.
 */
export class Fleet {
  readonly start: number;
  readonly episodes: Placements;
  /** What each service sends. */
  readonly emissions = new Emissions();
  private readonly retries: Retry[] = [];
  private readonly variants: readonly Variant[];
  private readonly anchor: number;
  private readonly scale: number;
  private readonly random: Random;
  private model: LeaseModel | undefined;
  private modelled: number;

  constructor(options: FleetOptions) {
    this.anchor = Math.floor(options.anchor / MINUTE) * MINUTE;
    this.scale = options.scale ?? 1;
    this.variants = options.variants ?? [];
    this.start = this.anchor - HISTORY_DAYS * DAY;
    this.random = new Random(`kittiwake/${options.seed}`);
    this.episodes = options.episodes ?? usualPlacements(this.anchor);
    const { E1 } = this.episodes;
    this.modelled = E1 ? Math.floor(E1.start / MINUTE) * MINUTE : Infinity;
  }

  /** Ends an episode at a moment; what it caused goes back by the same causes. */
  revert(id: keyof Placements, at: number): boolean {
    const placement = this.episodes[id];
    if (!isOn(placement, at)) return false;
    placement.end = at;
    return true;
  }

  /** The run of the import that hangs at a moment, if one does. */
  hangingRun(at: number): string | undefined {
    const { E6 } = this.episodes;
    return isOn(E6, at) ? stuckImport(E6, at) : undefined;
  }

  /** Runs of the last hours that failed, and that the scheduler can try again. */
  failedRuns(now: number): RunEvent[] {
    return failedRuns(now - RETRIED_FOR, now, this.jobWorld, this.random.fork('jobs')).filter(
      ({ runId }) => !this.retries.some(({ of }) => of === runId),
    );
  }

  /** Tries a failed run again at a moment; returns the id of the new run, or undefined where there is none to try. */
  retry(runId: string, now: number, due: number): string | undefined {
    if (!this.failedRuns(now).some((run) => run.runId === runId)) return undefined;
    const retry = { of: runId, due };
    this.retries.push(retry);
    return retryId(retry);
  }

  /** All that is sent of the minute that begins at a moment; lines in the order of their times. */
  minute(start: number): Signals {
    return this.signalsOf(start, MINUTE);
  }

  /** The same, with measurements every so many milliseconds. */
  signalsOf(start: number, measuredEvery: number): Signals {
    const random = this.random.fork(`minute ${(start - this.anchor) / MINUTE}`);
    const minute = this.stateAt(start);
    const trips = requestsOf(minute, random.fork('requests'));
    const signals = noSignals();
    const keeping = random.fork('kept');
    for (const trip of trips) {
      addSignals(signals, { lines: trip.lines });
      const everyOne = trip.failed || trip.took > SLOW_MS;
      // Drawn for each, so that keeping one says nothing of the others.
      const drawn = keeping.whole(SAMPLED) === 0;
      if (!everyOne && !drawn) continue;
      for (const span of trip.spans) span.attributes['sampling.one_in'] = everyOne ? 1 : SAMPLED;
      addSignals(signals, { spans: trip.spans });
    }
    addSignals(signals, { lines: routineOf(start, this.anchor, random.fork('routine')) });
    addSignals(signals, { lines: noveltyOf(start, random.fork('novelty')) });
    addSignals(signals, { lines: this.leaseLines(start, minute.leases, random.fork('leases')) });
    addSignals(signals, { lines: this.tellTales(minute, random.fork('tales')) });
    addSignals(signals, changesOf(start, this.anchor, this.episodes, random.fork('changes'), this.variants));
    addSignals(signals, jobsOf(start, this.jobWorld, this.random.fork('jobs')));
    const noise = random.fork('measured');
    for (let at = start; at < start + MINUTE; at += measuredEvery)
      addSignals(signals, { measurements: this.measure(minute, trips, at, measuredEvery, noise) });
    addSignals(signals, { measurements: probesOf(minute, random.fork('probes')) });
    signals.lines.sort((a, b) => a.at - b.at);
    return this.emissions.apply(signals);
  }

  /** Series of the weeks before the history, in steps of ten minutes; a day of them for each moment. */
  *weeksBefore(): Generator<Measurement[]> {
    for (let day = this.anchor - SERIES_DAYS * DAY; day < this.start; day += DAY) {
      const all: Measurement[] = [];
      for (let at = day; at < Math.min(day + DAY, this.start); at += COARSE) {
        const random = this.random.fork(`coarse ${(at - this.anchor) / MINUTE}`);
        const stretch = { at, length: COARSE, anchor: this.anchor, minute: this.stateAt(at) };
        const activity = expectedActivity(at, COARSE, this.anchor, random);
        for (const one of measured(stretch, activity, random)) all.push(one);
      }
      yield all;
    }
  }

  /** What is true about the data, for judging what is found in them. */
  truth(): object {
    return truthOf(this.anchor, this.start, this.episodes);
  }

  private get jobWorld(): JobWorld {
    return { anchor: this.anchor, episodes: this.episodes, retries: this.retries };
  }

  private stateAt(start: number): Minute {
    return {
      start,
      anchor: this.anchor,
      scale: this.scale,
      chatty: start >= this.anchor - CHATTY_FOR,
      leases: this.leases(start),
      episodes: this.episodes,
      recording: this.emissions.recording,
      sessions: ordinarySessions(start, this.anchor, this.random.fork(`sessions ${start - this.anchor}`)),
    };
  }

  private measure(
    minute: Minute,
    trips: readonly Trip[],
    at: number,
    length: number,
    random: Random,
  ): Measurement[] {
    const own = trips.filter((trip) => trip.at >= at && trip.at < at + length);
    return measured({ at, length, anchor: this.anchor, minute }, activityOf(own), random);
  }

  private leases(start: number): readonly LeaseSecond[] {
    const requestsAt = (at: number): number =>
      (REQUESTS_PER_MINUTE * LEASE_SHARE * demandAt(at, this.anchor)) / 60;
    if (start < this.modelled)
      return new LeaseModel(this.random.fork('calm'), undefined, start).minute(start, requestsAt(start));
    this.model ??= new LeaseModel(
      this.random.fork('lease cut'),
      this.episodes.E1,
      this.modelled,
      this.variants.includes('latency-first') ? SLOW_BEFORE : 0,
    );
    // A run that begins in the middle of the episode lives through its beginning first.
    for (; this.modelled < start; this.modelled += MINUTE)
      this.model.minute(this.modelled, requestsAt(this.modelled));
    this.modelled = start + MINUTE;
    return this.model.minute(start, requestsAt(start));
  }

  /** What the allocators and the lease store say of the leases. */
  private leaseLines(start: number, leases: readonly LeaseSecond[], random: Random): Line[] {
    const lines: Line[] = [];
    const allocators = INSTANCES.get('berth-allocator')!;
    const store = INSTANCES.get('lock-store')![0]!;
    leases.forEach((second, index) => {
      const at = start + index * SECOND;
      for (const { instance, rejected } of second.lost) {
        for (let count = 0; count < rejected; count++) {
          const when = at + random.between(0, SECOND);
          const berth = `${random.pick(PORTS)}/${1 + random.whole(3)}`;
          const text = `fencing token ${tokenAt(when)} rejected, lease lost`;
          const fields = { berth, sailing: `SL-${10_000 + random.whole(9000)}` };
          lines.push(say(allocators[instance]!, when, 'WARN', text, fields));
        }
      }
      if (index % 20 === 10 && second.queue > 24) {
        const fields = { depth: second.queue, limit: 24 };
        lines.push(say(random.pick(allocators), at, 'WARN', 'lease queue is long', fields));
      }
      if (random.chance((second.operations - 6) / 300)) {
        const text = `apply took ${random.duration(220).toFixed(0)}ms, longer than 100ms`;
        lines.push(say(store, at + random.between(0, SECOND), 'WARN', text));
      }
    });
    return lines;
  }

  /** Lines by which episodes give themselves away, beside what requests and jobs say. */
  private tellTales({ start, sessions }: Minute, random: Random): Line[] {
    const lines: Line[] = [];
    const { E7, E8 } = this.episodes;
    if (E8 && E8.start >= start && E8.start < start + MINUTE) {
      const text = `calibration applied, offset ${CALIBRATION_OFFSET.toFixed(2)}m, datum chart`;
      const fields = {
        station: STATION,
        berths: BERTHS.join(','),
        previous: `${CALIBRATION_OFFSET.toFixed(2)}m`,
      };
      lines.push(say(INSTANCES.get('tide-feed')![0]!, E8.start, 'INFO', text, fields));
    }
    if (isOn(E7, start)) {
      const senders = INSTANCES.get('notice-sender')!;
      const mail = mailState(this.episodes, start, sessions);
      const last = mailState(this.episodes, start + MINUTE - 1, sessions);
      const most = toldPerMinute(this.episodes, last);
      for (let left = random.poisson(most); left > 0; left--) {
        const id = `N-${random.hex(8)}`;
        const at = start + random.between(0, MINUTE);
        const then = mailState(this.episodes, at, sessions);
        // As many at a moment as are waiting then.
        if (!random.chance(toldPerMinute(this.episodes, then) / most)) continue;
        const { retrying } = then;
        const text = `mail gateway answers 451 try later, notice ${id} tried again`;
        const fields = { notice: id, waiting: Math.round(retrying) };
        lines.push(say(random.pick(senders), at, 'WARN', text, fields));
      }
      const ledger = INSTANCES.get('ledger-db')![0]!;
      const used = sessions + mail.sessions;
      for (let left = mail.full ? random.poisson(25) : used > SESSION_LIMIT * 0.9 ? 1 : 0; left > 0; left--) {
        const at = start + random.between(0, MINUTE);
        lines.push(
          mail.full
            ? say(
                ledger,
                at,
                'ERROR',
                `session refused: ${SESSION_LIMIT} of ${SESSION_LIMIT} sessions in use`,
              )
            : say(ledger, at, 'WARN', `${Math.round(used)} of ${SESSION_LIMIT} sessions in use`),
        );
      }
    }
    return lines;
  }
}
