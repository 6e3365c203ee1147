import type { IntakeAnswer, IntakeProblem } from '@flail/contract';
import { type BatchResult, binaryKind, type FormatName, type Sealed } from '@flail/core';
import { Injectable, Logger, type BeforeApplicationShutdown } from '@nestjs/common';
import { EventEmitter2 } from '@nestjs/event-emitter';
import type { Readable } from 'node:stream';
import { constants, createGunzip } from 'node:zlib';
import { IntakeBatchModel, SourceModel } from '../database/models.js';
import { badRequest, Problem } from '../problems/problem.js';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { windowBody } from '../query/moments.js';
import { IngestClient } from './ingest-client.js';

/** One request to take in lines. */
export interface LogBatch {
  dataset: Dataset;
  source: string;
  /** What the sender declares of itself: service, instance, host… */
  attributes: Record<string, string>;
  format: FormatName | 'auto';
  key?: string;
  body: Readable;
}

/** Requests that may be under way at once; more are told to come back. */
const MAX_BATCHES = 64;

export const RECORDS_STORED = 'records.stored';

interface Active {
  dataset: Dataset;
  key?: string;
  /** Records stored so far, those of an earlier try included. */
  stored: number;
  wanted: number;
  resolve: () => void;
  reject: (error: Error) => void;
  done: Promise<void>;
}

/** Takes in log lines: streams them to the worker that reads them, and answers once all are stored. */
@Injectable()
export class LogIntakeService implements BeforeApplicationShutdown {
  private readonly logger = new Logger('Intake');
  private client: IngestClient | undefined;
  private readonly announced = new Map<string, Promise<void>>();
  private readonly active = new Map<number, Active>();
  private readonly underWay = new Map<string, Promise<IntakeAnswer>>();
  private nextBatch = 1;

  constructor(
    private readonly store: RecordStore,
    private readonly events: EventEmitter2,
  ) {}

  async beforeApplicationShutdown(): Promise<void> {
    await this.client?.end();
    await this.store.writes.drained();
  }

  /** Stores a batch; a batch with a key that was stored before is not stored again. */
  async take(batch: LogBatch): Promise<IntakeAnswer> {
    if (batch.key === undefined) return this.run(batch, 0);
    const name = JSON.stringify([batch.dataset.id, batch.key]);
    const first = this.underWay.get(name);
    if (first) {
      batch.body.resume();
      return { ...(await first), repeated: true };
    }
    const answer = this.runKeyed(batch, batch.key);
    this.underWay.set(name, answer);
    try {
      return await answer;
    } finally {
      this.underWay.delete(name);
    }
  }

  private async runKeyed(batch: LogBatch, key: string): Promise<IntakeAnswer> {
    const where = { datasetId: batch.dataset.id, key };
    const known = await IntakeBatchModel.findOne({ where });
    if (known?.answer) {
      batch.body.resume();
      return { ...(known.answer as IntakeAnswer), repeated: true };
    }
    const answer = await this.run(batch, known?.stored ?? 0);
    await this.store.writes.run(() =>
      IntakeBatchModel.upsert({ ...where, stored: answer.accepted, answer, at: new Date() }),
    );
    return answer;
  }

  private async run(batch: LogBatch, skip: number): Promise<IntakeAnswer> {
    if (this.active.size >= MAX_BATCHES) {
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
    const { dataset, source, attributes } = batch;
    const id = this.nextBatch++;
    const active = this.begin(id, batch, skip);
    let problem: IntakeProblem | undefined;
    let bytes = 0;
    try {
      const context = await this.store.contextOf(dataset, source, attributes);
      const client = await this.clientFor(dataset);
      client.open(dataset.key, {
        id,
        context: context.id,
        service: attributes.service ?? source,
        format: batch.format,
        arrival: Date.now() * 1000,
        skip,
      });
      let refused: Error | undefined;
      try {
        for await (const chunk of plainChunks(batch.body)) {
          bytes += chunk.length;
          await client.push(dataset.key, id, chunk);
        }
      } catch (error) {
        // What came before the fault is kept; the batch is closed either way.
        if (error instanceof Problem) refused = error;
        else problem = streamProblem(error);
      }
      const result = await client.close(dataset.key, id);
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

  private begin(id: number, { dataset, key }: LogBatch, stored: number): Active {
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
      ...(key !== undefined && { key }),
      stored,
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

  private async clientFor(dataset: Dataset): Promise<IngestClient> {
    this.client ??= new IngestClient(
      (key, sealed) => this.storeSealed(key, sealed),
      (error) => this.fail(error),
    );
    const { client } = this;
    let ready = this.announced.get(dataset.key);
    if (!ready) {
      ready = this.store.books(dataset).then(({ shapes, layouts }) =>
        client.announce({
          kind: 'dataset',
          dataset: dataset.key,
          shapes,
          layouts,
          nextSeq: dataset.nextSeq,
        }),
      );
      this.announced.set(dataset.key, ready);
    }
    await ready;
    return client;
  }

  private async storeSealed(key: string, sealed: Sealed): Promise<void> {
    const { client } = this;
    const dataset = this.store.dataset(key);
    const batches = [...sealed.batches].flatMap(([id, records]) => {
      const active = this.active.get(id);
      return active ? [{ active, records }] : [];
    });
    try {
      await this.store.append(dataset, {
        ...sealed,
        also: async (transaction) => {
          for (const { active, records } of batches) {
            if (active.key === undefined) continue;
            const row = {
              datasetId: dataset.id,
              key: active.key,
              stored: active.stored + records,
              at: new Date(),
            };
            await IntakeBatchModel.upsert({ ...row, answer: null }, { transaction });
          }
        },
      });
    } catch (error) {
      if (client === this.client) this.fail(error instanceof Error ? error : new Error(String(error)));
      return;
    }
    for (const { active, records } of batches) {
      active.stored += records;
      this.settle(active);
    }
    this.events.emit(RECORDS_STORED, dataset);
  }

  /** Something could not be stored or read: what was not acknowledged is given up, and the worker begins anew from what is stored. */
  private fail(error: Error): void {
    this.logger.error(error.stack ?? error.message);
    const { client } = this;
    this.client = undefined;
    this.announced.clear();
    void client?.end();
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
      await row.update({
        format: result.accepted > 0 ? result.format : row.format,
        records: row.records + result.accepted,
        malformed: row.malformed + result.malformed,
        bytes: row.bytes + bytes,
        lastSeen: new Date(),
      });
    });
  }
}

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

/** The bytes of a body, unpacked where they are gzip (by its first two bytes, whatever the header says). */
async function* plainChunks(body: Readable): AsyncGenerator<Uint8Array> {
  const iterator = body[Symbol.asyncIterator]() as AsyncIterator<Buffer>;
  let first = await iterator.next();
  // The magic number may be spread over the first chunks.
  while (!first.done && first.value.length < 4) {
    const next = await iterator.next();
    if (next.done) break;
    first = { done: false, value: Buffer.concat([first.value, next.value]) };
  }
  if (first.done) return;
  const start = first.value;
  const chunks = async function* (): AsyncGenerator<Buffer> {
    yield start;
    for (let next = await iterator.next(); !next.done; next = await iterator.next()) yield next.value;
  };
  if (start[0] !== 0x1f || start[1] !== 0x8b) {
    yield* textOnly(chunks());
    return;
  }
  const unpack = createGunzip({ chunkSize: 256 * 1024, finishFlush: constants.Z_FINISH });
  const { Readable: NodeReadable, pipeline } = await import('node:stream');
  pipeline(NodeReadable.from(chunks()), unpack, () => undefined);
  yield* textOnly(unpack as AsyncIterable<Buffer>);
}

/** Turns away what can't be a log by its first bytes. */
async function* textOnly(chunks: AsyncIterable<Buffer>): AsyncGenerator<Uint8Array> {
  let first = true;
  for await (const chunk of chunks) {
    const kind = first ? binaryKind(chunk) : undefined;
    if (kind !== undefined) {
      throw new Problem(
        415,
        'binary',
        'Not a log file',
        `This is ${kind}, not lines of text. Nothing of it was stored.`,
      );
    }
    first = false;
    yield chunk;
  }
}

/** What to tell the sender of a stream that broke. */
function streamProblem(error: unknown): IntakeProblem {
  const code = typeof error === 'object' && error !== null && 'code' in error ? String(error.code) : '';
  const at = { count: 1, firstLine: 0 };
  if (code === 'Z_BUF_ERROR') {
    return {
      code: 'gzip-cut-off',
      message: 'The gzip data end in the middle. The lines before that place are kept.',
      ...at,
    };
  }
  if (code.startsWith('Z_')) {
    return {
      code: 'gzip-damaged',
      message: 'The gzip data are damaged. The lines before that place are kept.',
      ...at,
    };
  }
  return {
    code: 'cut-off',
    message: 'The connection ended in the middle. The lines before that place are kept.',
    ...at,
  };
}
