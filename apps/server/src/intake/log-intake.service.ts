import type { IntakeAnswer, IntakeProblem } from '@flail/contract';
import {
  type BatchResult,
  type Context,
  type CsvColumns,
  type FormatName,
  framed,
  type Sealed,
  type Sender,
} from '@flail/core';
import { type BeforeApplicationShutdown, Inject, Injectable, Logger } from '@nestjs/common';
import { EventEmitter2 } from '@nestjs/event-emitter';
import { CONFIG, type Config } from '../config/config.js';
import { IntakeBatchModel, SourceModel } from '../database/models.js';
import { breathing } from '../platform/breathe.js';
import { Lifecycle } from '../platform/lifecycle.service.js';
import { Threads } from '../platform/threads.service.js';
import type { PoolReport } from '../platform/worker-pool.js';
import { badRequest, Problem } from '../problems/problem.js';
import { storeProblem } from '../problems/store-problem.js';
import { type Dataset, RecordStore, type SegmentInfo } from '../store/record-store.js';
import { BundledWrites } from '../store/write-queue.js';
import { windowBody } from '../query/moments.js';
import { type Pieces, plainChunks, streamProblem } from './body-stream.js';
import type { IngestFailure } from './ingest-client.js';
import { type BatchPlan, IngestPool, type OpenBatch } from './ingest-pool.js';
import { SourceNotes } from './source-notes.service.js';

/** One request to take in lines. */
export interface LogBatch {
  dataset: Dataset;
  source: string;
  /** What the sender declares of itself: service, instance, host… */
  attributes: Record<string, string>;
  format: FormatName | 'auto';
  key?: string;
  body: Pieces;
  /** What each sender declares of itself, where the lines are carried records that name theirs. */
  senders?: readonly Record<string, string>[];
  /** Columns of the source, where they come with it. */
  columns?: CsvColumns;
  /** True where the bytes are lines whatever they look like: they are neither unpacked nor turned away. */
  verbatim?: boolean;
}

/** Whole messages of one source, each of which becomes a record, whatever bytes are in it. */
export type MessageBatch = Pick<LogBatch, 'dataset' | 'source' | 'attributes' | 'format'> & {
  messages: readonly Uint8Array[];
};

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
/** Writes that may wait for the disk before senders are told to come back. */
const MAX_WRITES = 300;
/** A sender that says nothing for so many milliseconds has gone. */
const SILENT_MS = 60_000;
/** Where there is no room, one that has said nothing for so long gives way to others. */
const GIVES_WAY_MS = 5000;

/** Told of with the data set and the segment in which they are. */
export const RECORDS_STORED = 'records.stored';

/** Why the reading of a stream is given up. */
const ENDING = 'ending';
const SILENT = 'silent';

interface AnswerRow {
  datasetId: number;
  key: string;
  stored: number;
  chunks: null;
  answer: IntakeAnswer;
  at: Date;
}

type Keyed = Pick<LogBatch, 'dataset' | 'key'>;
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
  /** When its sender was heard of last, where it is still sending; milliseconds since 1970. */
  heard?: number;
  /** Ends the reading of what its sender still has to send. */
  giveUp: AbortController;
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
  /** How often the workers had to begin anew, and when the last time. */
  private replaced = 0;
  private lastReplaced: Date | undefined;
  /** What was answered to batches with a key. */
  private readonly answers: BundledWrites<AnswerRow>;

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly store: RecordStore,
    private readonly notes: SourceNotes,
    private readonly events: EventEmitter2,
    private readonly lifecycle: Lifecycle,
    threads: Threads,
  ) {
    threads.add(() => this.report());
    this.answers = new BundledWrites(store.writes, (rows) => this.keepAnswers(rows));
    // What was taken of a stream is stored; what is still to come is not waited for.
    lifecycle.ending.addEventListener('abort', () => {
      for (const { giveUp, heard } of this.active.values()) if (heard !== undefined) giveUp.abort(ENDING);
    });
  }

  async beforeApplicationShutdown(): Promise<void> {
    await this.lifecycle.end();
    await this.pool?.end();
    await this.store.writes.drained();
  }

  private report(): PoolReport {
    const { replaced, lastReplaced } = this;
    return {
      name: 'taking in lines',
      threads: this.config.ingestLanes,
      running: this.active.size,
      waiting: 0,
      replaced,
      ...(lastReplaced && { lastReplaced }),
    };
  }

  /** Stores a batch; a batch with a key that was stored before is not stored again. */
  async take(batch: LogBatch): Promise<IntakeAnswer> {
    return this.once(batch, (progress) => this.run(batch, progress));
  }

  /** Stores whole messages. */
  async takeMessages({ messages, ...batch }: MessageBatch): Promise<IntakeAnswer> {
    return this.runWhole({ ...batch, bytes: framed(messages) });
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
      return { ...(known.answer as IntakeAnswer), repeated: true };
    }
    const answer = await run(new Map(known?.chunks ?? []));
    await this.answers.add({ ...where, stored: answer.accepted, chunks: null, answer, at: new Date() });
    return answer;
  }

  private async keepAnswers(rows: readonly AnswerRow[]): Promise<void[]> {
    await IntakeBatchModel.bulkCreate(
      rows.map((row) => ({ ...row })),
      { updateOnDuplicate: ['stored', 'chunks', 'answer', 'at'] },
    );
    return rows.map(() => undefined);
  }

  private async runWhole({
    dataset,
    source,
    attributes,
    format,
    bytes,
  }: Omit<MessageBatch, 'messages'> & { bytes: Uint8Array }): Promise<IntakeAnswer> {
    const id = this.nextBatch++;
    const active = this.begin(id, { dataset, source }, new Map());
    const size = bytes.length;
    try {
      const context = (await this.store.contextOf(dataset, source, attributes)).id;
      const service = attributes.service ?? source;
      const open = await this.workers().open({
        id,
        dataset,
        context,
        source,
        service,
        format,
        framed: true,
        progress: new Map(),
      });
      await open.pushWhole(bytes);
      const result = await this.closed(open, active);
      active.wanted = result.accepted;
      this.settle(active);
      await active.done;
      await this.notes.batch(dataset, source, result, size);
      return answerOf(result, undefined);
    } finally {
      this.active.delete(id);
    }
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
      const wanted: Promise<Context>[] = [];
      for await (const { source, attributes } of breathing(parts))
        wanted.push(this.store.contextOf(dataset, source, attributes));
      const contexts = await Promise.all(wanted);
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
      for await (const [at, { bytes, source, attributes }] of breathing(parts.entries()))
        await open.pushWhole(bytes, {
          context: contexts[at]!.id,
          service: attributes.service ?? source,
        });
      const result = await this.closed(open, active);
      active.wanted = result.accepted;
      this.settle(active);
      await active.done;
      const bySource = new Map<string, { accepted: number; bytes: number }>();
      for (const [at, { source, lines }] of parts.entries()) {
        const own = bySource.get(source) ?? { accepted: 0, bytes: 0 };
        bySource.set(source, { accepted: own.accepted + lines, bytes: own.bytes + sizes[at]! });
      }
      await Promise.all(
        [...bySource].map(([source, { accepted, bytes }]) =>
          this.notes.batch(dataset, source, { ...result, accepted, malformed: 0, problems: [] }, bytes),
        ),
      );
      return answerOf(result, undefined);
    } finally {
      this.active.delete(id);
    }
  }

  /** How a source is read: the format that a person says it has, and its columns, or what its lines open with, as they were met or said. */
  private async reading({
    dataset,
    source,
    format,
    columns,
  }: LogBatch): Promise<Pick<BatchPlan, 'format' | 'columns' | 'heads'>> {
    const row = await SourceModel.findOne({
      where: { datasetId: dataset.id, name: source },
      attributes: ['givenFormat', 'columns', 'heads'],
    });
    const known = columns ?? row?.columns;
    const given = row?.givenFormat as FormatName | null | undefined;
    return {
      // Later batches of CSV have no header that it could be told by.
      format: format === 'auto' ? (given ?? (known ? 'csv' : 'auto')) : format,
      ...(known && { columns: known }),
      ...(row?.heads && { heads: row.heads }),
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

  /** However much one source sends at once, there is room for others; who says nothing gives way. */
  private refuseWhenBusy(source: string): void {
    if (this.lifecycle.ending.aborted)
      throw new Problem(
        503,
        ENDING,
        'Closing down',
        'The server is closing down; send this again in a moment.',
        {
          retryAfter: 5,
        },
      );
    let own = 0;
    let quietest: Active | undefined;
    for (const active of this.active.values()) {
      if (active.source === source) own++;
      const { heard } = active;
      if (heard !== undefined && heard < (quietest?.heard ?? Date.now() - GIVES_WAY_MS)) quietest = active;
    }
    const full = this.active.size >= MAX_BATCHES || own >= MAX_OF_SOURCE;
    if (full && quietest) {
      delete quietest.heard;
      quietest.giveUp.abort(SILENT);
      return;
    }
    const behind = this.store.writes.length > MAX_WRITES;
    if (full || behind) {
      throw new Problem(
        429,
        'busy',
        'Too much at once',
        behind
          ? 'More has come than the disk keeps up with; send this again in a moment.'
          : 'Too many batches are under way; send this one again in a moment.',
        { retryAfter: 1 },
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
        for await (const chunk of this.heardFrom(active, batch)) {
          bytes += chunk.length;
          await open.push(chunk);
        }
      } catch (error) {
        // What came before the fault is kept; the batch is closed either way.
        if (error instanceof Problem) refused = error;
        else problem = streamProblem(error);
      }
      const result = await this.closed(open, active);
      active.wanted = result.accepted;
      this.settle(active);
      await active.done;
      if (refused) throw refused;
      const givenUp: unknown = active.giveUp.signal.reason;
      if (givenUp !== undefined) {
        await this.notes.batch(dataset, source, result, bytes);
        throw givenUpProblem(givenUp, result.accepted);
      }
      if (bytes === 0 && !problem)
        problem = {
          code: 'empty',
          message: 'There is nothing in it: not a single line.',
          count: 1,
          firstLine: 0,
        };
      else if (problem && result.accepted === 0) throw badRequest(problem.code, problem.message);
      await this.notes.batch(dataset, source, result, bytes);
      return answerOf(result, problem);
    } finally {
      this.active.delete(id);
    }
  }

  /** The bytes of a batch as they come, until there are no more, or they are no longer waited for. */
  private async *heardFrom(active: Active, { body, verbatim }: LogBatch): AsyncGenerator<Uint8Array> {
    const chunks = (verbatim ? body : plainChunks(body))[Symbol.asyncIterator]();
    const { signal } = active.giveUp;
    const givenUp = new Promise<'given up'>((resolve) =>
      signal.addEventListener('abort', () => resolve('given up'), { once: true }),
    );
    for (;;) {
      if (signal.aborted) return;
      active.heard = Date.now();
      const silent = setTimeout(() => active.giveUp.abort(SILENT), SILENT_MS);
      const next = chunks.next();
      const came = await Promise.race([next, givenUp]).finally(() => {
        clearTimeout(silent);
        delete active.heard;
      });
      if (came === 'given up') {
        next.catch(() => undefined);
        return;
      }
      if (came.done) return;
      yield came.value;
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
      giveUp: new AbortController(),
      resolve,
      reject,
      done,
    };
    this.active.set(id, active);
    return active;
  }

  /** Ends a batch; where its worker failed meanwhile, throws what its sender is told. */
  private async closed(open: OpenBatch, active: Active): Promise<BatchResult> {
    try {
      return await open.close();
    } catch (error) {
      await active.done;
      throw error;
    }
  }

  private settle(active: Active): void {
    if (active.stored >= active.wanted) active.resolve();
  }

  private workers(): IngestPool {
    this.pool ??= new IngestPool(
      this.config.ingestLanes,
      this.store,
      (key, sealed) => this.storeSealed(key, sealed),
      (error, failure) => this.fail(error, failure),
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
          const rows = batches.flatMap(({ active, chunks }) => {
            if (active.key === undefined) return [];
            const progress = advanced(active, chunks);
            const row = { datasetId: dataset.id, key: active.key, stored: sum(progress), at: new Date() };
            return [{ ...row, chunks: [...progress], answer: null }];
          });
          if (rows.length > 0)
            await IntakeBatchModel.bulkCreate(rows, {
              updateOnDuplicate: ['stored', 'chunks', 'answer', 'at'],
              transaction,
            });
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

  /**
   * Something could not be stored or read: what was not acknowledged is given up, and the workers begin anew from
   * what is stored. A batch whose lines a worker could not get over is not to be sent again.
   */
  private fail(error: Error, { culprit }: IngestFailure = {}): void {
    const { message, stack } = error;
    this.logger.error(stack ?? message);
    const { pool } = this;
    this.pool = undefined;
    this.replaced++;
    this.lastReplaced = new Date();
    void pool?.end();
    const again =
      storeProblem(error) ??
      new Problem(
        503,
        'not-stored',
        'Not stored',
        `The lines could not be stored (${message}). Nothing of them is acknowledged; send them again.`,
        { retryAfter: 5 },
      );
    const never = new Problem(
      422,
      'not-readable',
      'Not readable',
      `The lines could not be read (${message}). Nothing of them is acknowledged; sent again, they would fail again.`,
    );
    for (const [id, active] of this.active) active.reject(id === culprit ? never : again);
  }
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

/** What to tell a sender whose stream was not read to its end. */
function givenUpProblem(reason: unknown, accepted: number): Problem {
  const stored = `${accepted.toLocaleString('en')} records of this batch are stored; sent again under the same Idempotency-Key, only the others are taken.`;
  return reason === ENDING
    ? new Problem(503, ENDING, 'Closing down', `The server is closing down. ${stored}`, { retryAfter: 5 })
    : new Problem(408, 'silent', 'Nothing more came', `The sender said nothing for too long. ${stored}`);
}
