import type { BatchResult, BatchStart, ChunkResult, ChunkStart, Sealed } from '@flail/core';
import { Worker } from 'node:worker_threads';
import { StuckTaskError } from '../platform/worker-pool.js';
import { memoryOf } from '../store/buffers.js';
import { workerFile } from '../store/worker-thread.js';
import type { FromIngest, ToIngest } from './ingest-messages.js';

/** Bytes on their way to the worker before senders have to wait. */
const MAX_OUTSTANDING = 8 * 1024 * 1024;
/** A worker that does not come back with a piece of a batch for so many milliseconds is stuck in it. */
const LIMIT_MS = 60_000;

/** Why a worker is no longer of use. */
export interface IngestFailure {
  /** The batch that it was reading then. */
  culprit?: number;
}

/** Told of a worker that failed. */
export type Failed = (error: Error, failure: IngestFailure) => void;

/** A worker thread that reads lines and builds segments, seen from the server. */
export class IngestClient {
  outstanding = 0;
  private readonly worker: Worker;
  private waiting: (() => void)[] = [];
  private readonly closing = new Map<
    number,
    { resolve: (result: BatchResult) => void; reject: (error: Error) => void }
  >();
  /** Chunks of open batches that were read, in the order in which they were handed over. */
  private readonly chunks = new Map<number, ChunkResult[]>();
  /** Batches of what was handed over and is not read yet, in its order. */
  private readonly owed: number[] = [];
  private watchdog: NodeJS.Timeout | undefined;
  private failure: Error | undefined;

  constructor(
    private readonly store: (dataset: string, sealed: Sealed) => Promise<void>,
    private readonly failed: Failed,
    private readonly limit = LIMIT_MS,
  ) {
    this.worker = new Worker(workerFile('./ingest-worker', import.meta.url));
    this.worker.on('message', (message: FromIngest) => this.receive(message));
    this.worker.on('error', (error: Error) => this.fail(error));
  }

  announce(message: Extract<ToIngest, { kind: 'dataset' }>): void {
    this.worker.postMessage(message);
  }

  open(dataset: string, start: BatchStart): void {
    this.chunks.set(start.id, []);
    this.worker.postMessage({ kind: 'open', dataset, start } satisfies ToIngest);
  }

  /** Hands over bytes; resolves when there is room for more. */
  push(dataset: string, batch: number, bytes: Uint8Array, firstSeq: number): Promise<void> {
    return this.hand({ kind: 'push', dataset, batch, bytes, firstSeq }, batch, bytes);
  }

  /** Hands over a part of a batch that is read by itself; the bytes are the worker's from then on. */
  pushChunk(dataset: string, batch: number, bytes: Uint8Array, chunk: ChunkStart): Promise<void> {
    return this.hand({ kind: 'chunk', dataset, batch, bytes, chunk }, batch, bytes, memoryOf(bytes));
  }

  /** Ends a batch; resolves when all its lines are read, though not yet stored. */
  async close(
    dataset: string,
    batch: number,
    firstSeq: number,
  ): Promise<{ result: BatchResult; chunks: readonly ChunkResult[] }> {
    const result = await new Promise<BatchResult>((resolve, reject) => {
      if (this.failure) reject(this.failure);
      this.closing.set(batch, { resolve, reject });
      this.owe(batch);
      this.worker.postMessage({ kind: 'close', dataset, batch, firstSeq } satisfies ToIngest);
    });
    const chunks = this.chunks.get(batch) ?? [];
    this.chunks.delete(batch);
    return { result, chunks };
  }

  /** Ends the worker; who still waits for it is told. */
  async end(): Promise<void> {
    this.giveUp(new Error('The threads that take in lines begin anew.'));
    await this.worker.terminate();
  }

  private async hand(
    message: ToIngest,
    batch: number,
    bytes: Uint8Array,
    transfer: ArrayBuffer[] = [],
  ): Promise<void> {
    this.refuseIfFailed();
    this.outstanding += bytes.length;
    this.owe(batch);
    this.worker.postMessage(message, transfer);
    while (this.outstanding > MAX_OUTSTANDING && !this.failure) {
      await new Promise<void>((resolve) => this.waiting.push(resolve));
    }
    this.refuseIfFailed();
  }

  private refuseIfFailed(): void {
    if (this.failure) throw this.failure;
  }

  private receive(message: FromIngest): void {
    switch (message.kind) {
      case 'pushed':
        this.came();
        if (message.chunk) this.chunks.get(message.batch)?.push(message.chunk);
        this.outstanding -= message.length;
        if (this.outstanding <= MAX_OUTSTANDING) this.release();
        break;
      case 'closed':
        this.came();
        this.closing.get(message.batch)?.resolve(message.result);
        this.closing.delete(message.batch);
        break;
      case 'sealed':
        void this.store(message.dataset, message.sealed).finally(() =>
          this.worker.postMessage({ kind: 'stored' } satisfies ToIngest),
        );
        break;
    }
  }

  private owe(batch: number): void {
    this.owed.push(batch);
    this.watchdog ??= this.watch();
  }

  /** The worker came back with the first of what it owes. */
  private came(): void {
    this.owed.shift();
    clearTimeout(this.watchdog);
    this.watchdog = this.owed.length > 0 ? this.watch() : undefined;
  }

  private watch(): NodeJS.Timeout {
    return setTimeout(
      () => this.fail(new StuckTaskError('taking in lines', Math.round(this.limit / 1000))),
      this.limit,
    );
  }

  private fail(error: Error): void {
    if (this.failure) return;
    const [culprit] = this.owed;
    this.giveUp(error);
    this.failed(error, culprit === undefined ? {} : { culprit });
  }

  private giveUp(error: Error): void {
    clearTimeout(this.watchdog);
    this.failure ??= error;
    for (const { reject } of this.closing.values()) reject(this.failure);
    this.closing.clear();
    this.release();
  }

  private release(): void {
    const waiting = this.waiting;
    this.waiting = [];
    for (const resolve of waiting) resolve();
  }
}
