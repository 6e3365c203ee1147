import type { BatchResult, BatchStart, ChunkResult, ChunkStart, Sealed } from '@flail/core';
import { Worker } from 'node:worker_threads';
import { memoryOf } from '../store/buffers.js';
import { workerFile } from '../store/worker-thread.js';
import type { FromIngest, ToIngest } from './ingest-messages.js';

/** Bytes on their way to the worker before senders have to wait. */
const MAX_OUTSTANDING = 8 * 1024 * 1024;

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
  private failure: Error | undefined;

  constructor(
    private readonly store: (dataset: string, sealed: Sealed) => Promise<void>,
    failed: (error: Error) => void,
  ) {
    this.worker = new Worker(workerFile('./ingest-worker', import.meta.url));
    this.worker.on('message', (message: FromIngest) => this.receive(message));
    this.worker.on('error', (error: Error) => {
      this.failure = error;
      for (const { reject } of this.closing.values()) reject(error);
      this.release();
      failed(error);
    });
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
    return this.hand({ kind: 'push', dataset, batch, bytes, firstSeq }, bytes);
  }

  /** Hands over a part of a batch that is read by itself; the bytes are the worker's from then on. */
  pushChunk(dataset: string, batch: number, bytes: Uint8Array, chunk: ChunkStart): Promise<void> {
    return this.hand({ kind: 'chunk', dataset, batch, bytes, chunk }, bytes, memoryOf(bytes));
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
      this.worker.postMessage({ kind: 'close', dataset, batch, firstSeq } satisfies ToIngest);
    });
    const chunks = this.chunks.get(batch) ?? [];
    this.chunks.delete(batch);
    return { result, chunks };
  }

  async end(): Promise<void> {
    await this.worker.terminate();
  }

  private async hand(message: ToIngest, bytes: Uint8Array, transfer: ArrayBuffer[] = []): Promise<void> {
    this.outstanding += bytes.length;
    this.worker.postMessage(message, transfer);
    while (this.outstanding > MAX_OUTSTANDING && !this.failure) {
      await new Promise<void>((resolve) => this.waiting.push(resolve));
    }
    if (this.failure) throw this.failure;
  }

  private receive(message: FromIngest): void {
    switch (message.kind) {
      case 'pushed':
        if (message.chunk) this.chunks.get(message.batch)?.push(message.chunk);
        this.outstanding -= message.length;
        if (this.outstanding <= MAX_OUTSTANDING) this.release();
        break;
      case 'closed':
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

  private release(): void {
    const waiting = this.waiting;
    this.waiting = [];
    for (const resolve of waiting) resolve();
  }
}
