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
  type Run,
  runAccount,
  runDifferences,
  runEventOf,
  runOf,
  type Stuck,
  stuckRuns,
  tallyOf,
} from '@flail/core/runs';
import { Inject, Injectable } from '@nestjs/common';
import { Op } from 'sequelize';
import type { Sequelize } from 'sequelize-typescript';
import type { Asker } from '../access/asker.js';
import { insertRows } from '../database/insert-rows.js';
import { RunModel } from '../database/models.js';
import { DecodePool } from '../otlp/decode-pool.js';
import { notFound } from '../problems/problem.js';
import type { Ran } from '@flail/core/requests';
import { microsOf, momentText } from '@flail/core/time';
import { type Dataset, DATABASE, RecordStore } from '../store/record-store.js';

/** Takes in the events of runs, puts runs together from them, and tells which there were. */
@Injectable()
export class RunsService {
  constructor(
    private readonly store: RecordStore,
    private readonly decoders: DecodePool,
    @Inject(DATABASE) private readonly database: Sequelize,
  ) {}

  /** Stores the events of a body; those that are none are left out and told of. An event sent again counts once. */
  async take(dataset: Dataset, bytes: Uint8Array): Promise<EventsAnswer> {
    const { events } = await this.decoders.read({ signal: 'runs', arrival: Date.now() * 1000, bytes });
    const { runs, answer } = events!;
    await this.store.writes.run(() => this.keep(dataset, runs));
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
    const whole = asker.services === 'all' && this.store.shownUntil(dataset) === Infinity;
    if (!whole || limit === Infinity) {
      const all = await this.runsIn(dataset, asker, window, wanted);
      return { runs: all.slice(-limit).map(bodyOf), total: all.length };
    }
    const where = touching(dataset, window, wanted);
    const newest = { order: [['fromMicros', 'DESC']] as [string, string][], limit };
    const rows = await RunModel.findAll({ where, attributes: ['run'], ...newest });
    const runs = rows.reverse().map(({ run }) => bodyOf(run as Run));
    return { runs, total: await RunModel.count({ where }) };
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
      // Shown only so far, a run may still be in another state.
      where: touching(dataset, window, whole ? wanted : { ...wanted, states: undefined }),
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

  private async keep(
    { id: datasetId }: Dataset,
    events: readonly { runId: string; text: string }[],
  ): Promise<void> {
    const byRun = new Map<string, Set<string>>();
    for (const { runId, text } of events) {
      const own = byRun.get(runId);
      // An event that was sent twice is one.
      if (own) own.add(text);
      else byRun.set(runId, new Set([text]));
    }
    const ids = [...byRun.keys()];
    await this.database.transaction(async (transaction) => {
      // Some at a time, so that others get their turn between.
      for (let at = 0; at < ids.length; at += RUNS_AT_ONCE) {
        const runId = ids.slice(at, at + RUNS_AT_ONCE);
        const known = await RunModel.findAll({
          where: { datasetId, runId },
          attributes: ['runId', 'events'],
          transaction,
        });
        const before = new Map(
          known.map((row) => [row.runId, row.events.map((event) => JSON.stringify(event))]),
        );
        const rows = runId.map((id) =>
          rowOf(datasetId, new Set([...(before.get(id) ?? []), ...byRun.get(id)!])),
        );
        await insertRows(RunModel, rows, WRITTEN, transaction, ['datasetId', 'runId']);
      }
    });
  }
}

/** Runs that are put together between two pauses. */
const RUNS_AT_ONCE = 100;

const WRITTEN = [
  'datasetId',
  'runId',
  'namespace',
  'job',
  'state',
  'fromMicros',
  'toMicros',
  'run',
  'events',
] as const;

function rowOf(datasetId: number, texts: ReadonlySet<string>) {
  const run = runOf([...texts].map((text) => runEventOf(JSON.parse(text))));
  return {
    datasetId,
    runId: run.id,
    namespace: run.namespace,
    job: run.job,
    state: run.state,
    fromMicros: run.from,
    toMicros: run.to ?? null,
    run: JSON.stringify(run),
    events: `[${[...texts].join(',')}]`,
  };
}

/** Runs that touch a window. */
const touching = (
  { id: datasetId }: Dataset,
  window: Window,
  { job, states }: { job?: string | undefined; states?: readonly string[] | undefined },
) => ({
  datasetId,
  fromMicros: { [Op.lt]: window.to },
  toMicros: { [Op.or]: [{ [Op.gte]: window.from }, { [Op.is]: null }] },
  ...(job !== undefined && { job }),
  ...(states && { state: [...states] }),
});

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
