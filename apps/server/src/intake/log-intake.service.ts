import type { IntakeAnswer, IntakeProblem } from '@flail/contract';
import type { BatchResult, CsvColumns, FormatName, Sealed, Sender } from '@flail/core';
import { type BeforeApplicationShutdown, Inject, Injectable, Logger } from '@nestjs/common';
import { EventEmitter2 } from '@nestjs/event-emitter';
import type { Readable } from 'node:stream';
import { CONFIG, type Config } from '../config/config.js';
import { IntakeBatchModel, SourceModel } from '../database/models.js';
import { badRequest, Problem } from '../problems/problem.js';
import { type Dataset, RecordStore, type SegmentInfo } from '../store/record-store.js';
import { windowBody } from '../query/moments.js';
import { plainChunks, streamProblem } from './body-stream.js';
import { IngestPool } from './ingest-pool.js';

/** One request to take in lines. */
export interface LogBatch {
  dataset: Dataset;
  source: string;
  /** What the sender declares of itself: service, instance, host… */
  attributes: Record<string, string>;
  format: FormatName | 'auto';
  key?: string;
  body: Readable;
  /** What each sender declares of itself, where the lines are carried records that name theirs. */
  senders?: readonly Record<string, string>[];
  /** Columns of the source, where they come with it. */
  columns?: CsvColumns;
}

/** JSON lines of one sender among several. */
export interface SenderPart {
  source: string;
  attributes: Record<string, string>;
  /** They are the worker's from then on. */
  bytes: Uint8Array;
  lines: number;
}

/** One request to take in the lines of several senders. */
export type PartsBatch = Pick<LogBatch, 'dataset' | 'key'> & { parts: readonly SenderPart[] };

/** Requests that may be under way at once, in all and of one source; more are told to come back. */
const MAX_BATCHES = 64;
const MAX_OF_SOURCE = 32;

/** Told of with the data set and the segment in which they are. */
export const RECORDS_STORED = 'records.stored';

type Keyed = Pick<LogBatch, 'dataset' | 'key'> & { body?: Readable };
/** Stores a batch of which so much of each chunk is stored already. */
type Run = (progress: Map<number, number>) => Promise<IntakeAnswer>;

interface Active {
  dataset: Dataset;
  source: string;
  key?: string;
  /** Records of each chunk stored so far, those of an earlier try included. */
  progress: Map<number, number>;
  stored: number;
  wanted: number;
  resolve: () => void;
  reject: (error: Error) => void;
  done: Promise<void>;
}

/** Takes in log lines: streams them to the workers that read them, and answers once all are stored. */
@Injectable()
export class LogIntakeService implements BeforeApplicationShutdown {
  private readonly logger = new Logger('Intake');
  private pool: IngestPool | undefined;
  private readonly active = new Map<number, Active>();
  private readonly underWay = new Map<string, Promise<IntakeAnswer>>();
  private nextBatch = 1;

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly store: RecordStore,
    private readonly events: EventEmitter2,
  ) {}

  async beforeApplicationShutdown(): Promise<void> {
    await this.pool?.end();
    await this.store.writes.drained();
  }

  /** Stores a batch; a batch with a key that was stored before is not stored again. */
  async take(batch: LogBatch): Promise<IntakeAnswer> {
    return this.once(batch, (progress) => this.run(batch, progress));
  }

  /** Stores what several senders sent in one request. */
  async takeParts(batch: PartsBatch): Promise<IntakeAnswer> {
    return this.once(batch, (progress) => this.runParts(batch, progress));
  }

  /** Runs a batch; one with a key that was stored before is not stored again, one under way is waited for. */
  private async once(batch: Keyed, run: Run): Promise<IntakeAnswer> {
    if (batch.key === undefined) return run(new Map());
    const name = JSON.stringify([batch.dataset.id, batch.key]);
    const first = this.underWay.get(name);
    if (first) {
      batch.body?.resume();
      return { ...(await first), repeated: true };
    }
    const answer = this.runKeyed(batch, batch.key, run);
    this.underWay.set(name, answer);
    try {
      return await answer;
    } finally {
      this.underWay.delete(name);
    }
  }

  private async runKeyed(batch: Keyed, key: string, run: Run): Promise<IntakeAnswer> {
    const where = { datasetId: batch.dataset.id, key };
    const known = await IntakeBatchModel.findOne({ where });
    if (known?.answer) {
      batch.body?.resume();
      return { ...(known.answer as IntakeAnswer), repeated: true };
    }
    const answer = await run(new Map(known?.chunks ?? []));
    await this.store.writes.run(() =>
      IntakeBatchModel.upsert({ ...where, stored: answer.accepted, chunks: null, answer, at: new Date() }),
    );
    return answer;
  }

  private async runParts(
    { dataset, key, parts }: PartsBatch,
    progress: Map<number, number>,
  ): Promise<IntakeAnswer> {
    const source = parts[0]?.source ?? '';
    this.refuseWhenBusy(source);
    const id = this.nextBatch++;
    const active = this.begin(id, { dataset, source, ...(key !== undefined && { key }) }, progress);
    try {
      const contexts = await Promise.all(
        parts.map(({ source, attributes }) => this.store.contextOf(dataset, source, attributes)),
      );
      const open = await this.workers().open({
        id,
        dataset,
        context: contexts[0]?.id ?? 0,
        source,
        service: source,
        format: 'json',
        progress: new Map(progress),
      });
      const sizes = parts.map(({ bytes }) => bytes.length);
      for (const [at, { bytes, source, attributes }] of parts.entries())
        await open.pushPart(bytes, {
          context: contexts[at]!.id,
          service: attributes.service ?? source,
        });
      const result = await open.close();
      active.wanted = result.accepted;
      this.settle(active);
      await active.done;
      const bySource = new Map<string, { accepted: number; bytes: number }>();
      for (const [at, { source, lines }] of parts.entries()) {
        const own = bySource.get(source) ?? { accepted: 0, bytes: 0 };
        bySource.set(source, { accepted: own.accepted + lines, bytes: own.bytes + sizes[at]! });
      }
      for (const [source, { accepted, bytes }] of bySource)
        await this.noteSource(dataset, source, { ...result, accepted, malformed: 0, problems: [] }, bytes);
      return answerOf(result, undefined);
    } finally {
      this.active.delete(id);
    }
  }

  /** How a source is read: the format that a person says it has, and its columns as they were met or said. */
  private async reading({
    dataset,
    source,
    format,
    columns,
  }: LogBatch): Promise<{ format: FormatName | 'auto'; columns?: CsvColumns }> {
    const row = await SourceModel.findOne({
      where: { datasetId: dataset.id, name: source },
      attributes: ['givenFormat', 'columns'],
    });
    const known = columns ?? row?.columns;
    const given = row?.givenFormat as FormatName | null | undefined;
    return {
      // Later batches of CSV have no header that it could be told by.
      format: format === 'auto' ? (given ?? (known ? 'csv' : 'auto')) : format,
      ...(known && { columns: known }),
    };
  }

  /** The places that carried records of a batch stand for. */
  private sendersOf({ dataset, source, senders = [] }: LogBatch): Promise<Sender[]> {
    return Promise.all(
      senders.map(async (attributes) => ({
        context: (await this.store.contextOf(dataset, source, attributes)).id,
        service: attributes.service ?? source,
      })),
    );
  }

  /** However much one source sends at once, there is room for others. */
  private refuseWhenBusy(source: string): void {
    let own = 0;
    for (const active of this.active.values()) if (active.source === source) own++;
    if (this.active.size >= MAX_BATCHES || own >= MAX_OF_SOURCE) {
      throw new Problem(
        429,
        'busy',
        'Too much at once',
        'Too many batches are under way; send this one again in a moment.',
        {
          retryAfter: 1,
        },
      );
    }
  }

  private async run(batch: LogBatch, progress: Map<number, number>): Promise<IntakeAnswer> {
    const { dataset, source, attributes } = batch;
    this.refuseWhenBusy(source);
    const id = this.nextBatch++;
    const active = this.begin(id, batch, progress);
    let problem: IntakeProblem | undefined;
    let bytes = 0;
    try {
      const senders = batch.senders && (await this.sendersOf(batch));
      const context = senders
        ? (senders[0]?.context ?? 0)
        : (await this.store.contextOf(dataset, source, attributes)).id;
      const open = await this.workers().open({
        id,
        dataset,
        context,
        source,
        service: attributes.service ?? source,
        ...(await this.reading(batch)),
        ...(senders && { senders }),
        progress: new Map(progress),
      });
      let refused: Error | undefined;
      try {
        for await (const chunk of plainChunks(batch.body)) {
          bytes += chunk.length;
          await open.push(chunk);
        }
      } catch (error) {
        // What came before the fault is kept; the batch is closed either way.
        if (error instanceof Problem) refused = error;
        else problem = streamProblem(error);
      }
      const result = await open.close();
      active.wanted = result.accepted;
      this.settle(active);
      await active.done;
      if (refused) throw refused;
      if (bytes === 0 && !problem)
        problem = {
          code: 'empty',
          message: 'There is nothing in it: not a single line.',
          count: 1,
          firstLine: 0,
        };
      else if (problem && result.accepted === 0) throw badRequest(problem.code, problem.message);
      await this.noteSource(dataset, source, result, bytes);
      return answerOf(result, problem);
    } finally {
      this.active.delete(id);
    }
  }

  private begin(
    id: number,
    { dataset, source, key }: Pick<LogBatch, 'dataset' | 'source' | 'key'>,
    progress: Map<number, number>,
  ): Active {
    let resolve = (): void => undefined;
    let reject = (_: Error): void => undefined;
    const done = new Promise<void>((yes, no) => {
      resolve = yes;
      reject = no;
    });
    // Nobody may be waiting yet when storing fails.
    done.catch(() => undefined);
    const active: Active = {
      dataset,
      source,
      ...(key !== undefined && { key }),
      progress,
      stored: [...progress.values()].reduce((sum, count) => sum + count, 0),
      wanted: Infinity,
      resolve,
      reject,
      done,
    };
    this.active.set(id, active);
    return active;
  }

  private settle(active: Active): void {
    if (active.stored >= active.wanted) active.resolve();
  }

  private workers(): IngestPool {
    this.pool ??= new IngestPool(
      this.config.ingestLanes,
      this.store,
      (key, sealed) => this.storeSealed(key, sealed),
      (error) => this.fail(error),
    );
    return this.pool;
  }

  private async storeSealed(key: string, sealed: Sealed): Promise<void> {
    const { pool } = this;
    const dataset = this.store.dataset(key);
    const batches = [...sealed.batches].flatMap(([id, chunks]) => {
      const active = this.active.get(id);
      return active ? [{ active, chunks }] : [];
    });
    /** Writes down that these records are stored; done as they are, and only then. */
    const advanced = ({ progress }: Active, chunks: ReadonlyMap<number, number>): Map<number, number> => {
      const next = new Map(progress);
      for (const [chunk, records] of chunks) next.set(chunk, (next.get(chunk) ?? 0) + records);
      return next;
    };
    let stored: SegmentInfo;
    try {
      stored = await this.store.append(dataset, {
        ...sealed,
        also: async (transaction) => {
          for (const { active, chunks } of batches) {
            if (active.key === undefined) continue;
            const progress = advanced(active, chunks);
            const row = {
              datasetId: dataset.id,
              key: active.key,
              chunks: [...progress],
              stored: sum(progress),
              at: new Date(),
            };
            await IntakeBatchModel.upsert({ ...row, answer: null }, { transaction });
          }
        },
      });
    } catch (error) {
      if (pool === this.pool) this.fail(error instanceof Error ? error : new Error(String(error)));
      return;
    }
    for (const { active, chunks } of batches) {
      active.progress = advanced(active, chunks);
      active.stored = sum(active.progress);
      this.settle(active);
    }
    this.events.emit(RECORDS_STORED, dataset, stored);
  }

  /** Something could not be stored or read: what was not acknowledged is given up, and the workers begin anew from what is stored. */
  private fail(error: Error): void {
    this.logger.error(error.stack ?? error.message);
    const { pool } = this;
    this.pool = undefined;
    void pool?.end();
    const problem = new Problem(
      503,
      'not-stored',
      'Not stored',
      `The lines could not be stored (${error.message}). Nothing of them is acknowledged; send them again.`,
      {
        retryAfter: 5,
      },
    );
    for (const active of this.active.values()) active.reject(problem);
  }

  private async noteSource(
    dataset: Dataset,
    name: string,
    result: BatchResult,
    bytes: number,
  ): Promise<void> {
    await this.store.writes.run(async () => {
      const [row] = await SourceModel.findOrCreate({
        where: { datasetId: dataset.id, name },
        defaults: { format: result.format, records: 0, malformed: 0, bytes: 0, lastSeen: new Date() },
      });
      const { span } = result;
      await row.update({
        format: result.accepted > 0 ? result.format : row.format,
        records: row.records + result.accepted,
        malformed: row.malformed + result.malformed,
        bytes: row.bytes + bytes,
        lastSeen: new Date(),
        problems: together(row.problems ?? [], result.problems),
        ...(result.columns && { columns: result.columns }),
        ...(span && {
          fromMicros: Math.min(row.fromMicros ?? Infinity, span.from),
          toMicros: Math.max(row.toMicros ?? -Infinity, span.to),
          ahead: span.to / 1e6 - Date.now() / 1000,
        }),
      });
    });
  }
}

/** Problems of a source, those of one kind counted together. */
function together(
  known: NonNullable<SourceModel['problems']>,
  more: BatchResult['problems'],
): SourceModel['problems'] {
  const all = new Map(known.map((problem) => [problem.code, problem]));
  for (const { code, message, count, sample } of more)
    all.set(code, { code, message, sample, count: count + (all.get(code)?.count ?? 0) });
  return all.size === 0 ? null : [...all.values()];
}

const sum = (progress: ReadonlyMap<number, number>): number =>
  [...progress.values()].reduce((all, count) => all + count, 0);

function answerOf(result: BatchResult, problem: IntakeProblem | undefined): IntakeAnswer {
  const { accepted, malformed, format, span } = result;
  return {
    accepted,
    malformed,
    format,
    repeated: false,
    ...(span && { window: windowBody({ from: span.from, to: span.to + 1 }) }),
    problems: [...(problem ? [problem] : []), ...result.problems],
  };
}
