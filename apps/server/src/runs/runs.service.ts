import type {
  EventsAnswer,
  JobTallyBody,
  RunAnswer,
  RunBody,
  RunsSearchAnswer,
  StuckBody,
} from '@flail/contract';
import type { Window } from '@flail/core';
import {
  lastGood,
  NoRunEventError,
  type Run,
  runAccount,
  runDifferences,
  type RunEvent,
  runEventOf,
  runOf,
  type Stuck,
  stuckRuns,
  tallyOf,
} from '@flail/core/runs';
import { Injectable } from '@nestjs/common';
import { Op } from 'sequelize';
import type { Asker } from '../access/asker.js';
import { RunModel } from '../database/models.js';
import { notFound } from '../problems/problem.js';
import type { Ran } from '@flail/core/requests';
import { microsOf, momentText } from '@flail/core/time';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { readEvents } from '../events/read-events.js';

/** Takes in the events of runs, puts runs together from them, and tells which there were. */
@Injectable()
export class RunsService {
  constructor(private readonly store: RecordStore) {}

  /** Stores events; those that are none are left out and told of. An event sent again counts once. */
  async take(dataset: Dataset, events: readonly unknown[]): Promise<EventsAnswer> {
    const { read, answer } = readEvents<RunEvent>(events, runEventOf, NoRunEventError);
    if (read.length > 0) await this.store.writes.run(() => this.keep(dataset, read));
    return answer;
  }

  /** Runs that touch a window, in the order of their beginning. */
  async search(
    dataset: Dataset,
    asker: Asker,
    window: Window,
    limit: number,
    wanted: { job?: string; states?: readonly string[] },
  ): Promise<RunsSearchAnswer> {
    const all = await this.runsIn(dataset, asker, window, wanted);
    return { runs: all.slice(-limit).map(bodyOf), total: all.length };
  }

  /** The same, as they are worked with. */
  plain(
    dataset: Dataset,
    asker: Asker,
    window: Window,
    wanted: { job?: string; states?: readonly string[] },
  ): Promise<Run[]> {
    return this.runsIn(dataset, asker, window, wanted);
  }

  private async runsIn(
    dataset: Dataset,
    asker: Asker,
    window: Window,
    wanted: { job?: string; states?: readonly string[] } = {},
  ): Promise<Run[]> {
    const whole = this.store.shownUntil(dataset) === Infinity;
    const rows = await RunModel.findAll({
      where: {
        datasetId: dataset.id,
        fromMicros: { [Op.lt]: window.to },
        toMicros: { [Op.or]: [{ [Op.gte]: window.from }, { [Op.is]: null }] },
        ...(wanted.job !== undefined && { job: wanted.job }),
        // Shown only so far, a run may still be in another state.
        ...(wanted.states && whole && { state: [...wanted.states] }),
      },
      attributes: whole ? ['run'] : ['run', 'events'],
      order: [['fromMicros', 'ASC']],
    });
    return rows
      .map((row) => this.shown(dataset, row))
      .filter((run) => maySee(asker, run) && (wanted.states?.includes(run.state) ?? true));
  }

  /** Runs that are stuck at the end of a window, told from a day of their jobs' history before it. */
  async stuck(dataset: Dataset, asker: Asker, { to }: Window): Promise<StuckBody[]> {
    const past = await this.runsIn(dataset, asker, { from: to - HISTORY, to });
    const jobs = new Map(past.map(({ id, job }) => [id, job]));
    return stuckRuns(past, to).map((stuck) => stuckBody(stuck, jobs.get(stuck.run)!));
  }

  /** When jobs ran within a window; runs that have not ended go on until its end. */
  async ran(dataset: Dataset, asker: Asker, window: Window): Promise<Ran[]> {
    const { runs } = await this.search(dataset, asker, window, Infinity, {});
    return runs.map(({ job, from, to }) => ({
      job,
      from: microsOf(from),
      to: to === undefined ? window.to : microsOf(to),
    }));
  }

  /** Jobs of a window with the tally of their runs. */
  async tally(dataset: Dataset, asker: Asker, window: Window): Promise<JobTallyBody[]> {
    const runs = await this.runsIn(dataset, asker, window);
    return tallyOf(runs, window.to).map(({ lines, spread, ...job }) => ({
      ...job,
      lines: lines.map(({ value, strokes, failed, withErrors }) => ({
        value,
        strokes: strokes.map(({ at, ...stroke }) => ({ ...stroke, time: momentText(at) })),
        failed,
        withErrors,
      })),
      spread: { ...spread, subset: spread.subset.map(({ name }) => name) },
    }));
  }

  /** One run with the account of its time, and the last good one of its job. */
  async inFull(
    dataset: Dataset,
    asker: Asker,
    runId: string,
  ): Promise<Omit<RunAnswer, 'logs' | 'matched' | 'actions'>> {
    const run = await this.find(dataset, asker, runId);
    const now = Math.max(this.store.shown(dataset)?.to ?? run.from, run.to ?? run.from);
    const past = await this.runsIn(dataset, asker, { from: run.from - HISTORY, to: now + 1 });
    const own = past.filter(({ job }) => job === run.job);
    const good = lastGood(run, own);
    const stuck = stuckRuns(own, now).find((one) => one.run === run.id);
    return {
      ...bodyOf(run),
      account: runAccount(run, now).map(({ from, to, ...part }) => ({
        ...part,
        from: momentText(from),
        to: momentText(to),
      })),
      ...(stuck && { stuck: stuckBody(stuck, run.job) }),
      ...(good && { good: bodyOf(good) }),
      differences: good ? runDifferences(run, good, now) : [],
      children: past
        .filter(({ parent }) => parent?.id === run.id)
        .map(({ id, job, state }) => ({ id, job, state })),
    };
  }

  private async find(dataset: Dataset, asker: Asker, runId: string): Promise<Run> {
    const until = this.store.shownUntil(dataset);
    const row = await RunModel.findOne({ where: { datasetId: dataset.id, runId } });
    const run = row && row.fromMicros < until ? this.shown(dataset, row) : undefined;
    if (!run || !maySee(asker, run)) throw notFound('no-such-run', `There is no run "${runId}".`);
    return run;
  }

  /** A run as far as it is shown: where the data set is played back, what its events told until then. */
  private shown(dataset: Dataset, { run, events }: RunModel): Run {
    const until = this.store.shownUntil(dataset);
    return until === Infinity ? (run as Run) : runOf(events.map(runEventOf).filter(({ at }) => at < until));
  }

  private async keep(dataset: Dataset, events: readonly RunEvent[]): Promise<void> {
    const datasetId = dataset.id;
    const byRun = new Map<string, Map<string, RunEvent>>();
    const add = (event: RunEvent): void => {
      let own = byRun.get(event.runId);
      if (!own) byRun.set(event.runId, (own = new Map<string, RunEvent>()));
      // An event that was sent twice is one.
      own.set(JSON.stringify(event.event), event);
    };
    events.forEach(add);
    const known = await RunModel.findAll({
      where: { datasetId, runId: [...byRun.keys()] },
      attributes: ['events'],
    });
    for (const row of known) for (const event of row.events) add(runEventOf(event));
    await RunModel.bulkCreate(
      [...byRun.values()].map((own) => {
        const run = runOf([...own.values()]);
        return {
          datasetId,
          runId: run.id,
          namespace: run.namespace,
          job: run.job,
          state: run.state,
          fromMicros: run.from,
          toMicros: run.to ?? null,
          run,
          events: [...own.values()].map(({ event }) => event),
        };
      }),
      {
        updateOnDuplicate: ['namespace', 'job', 'state', 'fromMicros', 'toMicros', 'run', 'events'],
        conflictAttributes: ['datasetId', 'runId'],
      },
    );
  }
}

/** Microseconds of history that tell how long runs usually stay in a state. */
const HISTORY = 2 * 86_400_000_000;

const maySee = ({ services }: Asker, { entity }: Run): boolean =>
  services === 'all' || services.includes(entity.service ?? '');

const stuckBody = ({ run, state, time, usual }: Stuck, job: string): StuckBody => ({
  run,
  job,
  state,
  time: time / 1e6,
  usual: usual / 1e6,
});

/** A run with its moments in RFC 3339. */
function bodyOf({ from, to, nominal, states, steps, workers, ...rest }: Run): RunBody {
  return {
    ...rest,
    from: momentText(from),
    ...(to !== undefined && { to: momentText(to) }),
    ...(nominal !== undefined && { nominal: momentText(nominal) }),
    states: states.map(({ state, at }) => ({ state, time: momentText(at) })),
    steps: steps.map(spanned),
    workers: workers.map(spanned),
  };
}

function spanned<T extends { from?: number; to?: number }>({
  from,
  to,
  ...rest
}: T): Omit<T, 'from' | 'to'> & { from?: string; to?: string } {
  return {
    ...rest,
    ...(from !== undefined && { from: momentText(from) }),
    ...(to !== undefined && { to: momentText(to) }),
  };
}
