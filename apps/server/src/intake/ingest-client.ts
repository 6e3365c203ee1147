import type { BatchResult, BatchStart, Sealed } from '@flail/core';
import { Worker } from 'node:worker_threads';
import { workerFile } from '../store/worker-thread.js';
import type { FromIngest, ToIngest } from './ingest-messages.js';

/** Bytes on their way to the worker before senders have to wait. */
const MAX_OUTSTANDING = 8 * 1024 * 1024;

/** The worker thread that reads lines and builds segments, seen from the server. */
export class IngestClient {
  private readonly worker: Worker;
  private outstanding = 0;
  private waiting: (() => void)[] = [];
  private readonly closing = new Map<
    number,
    { resolve: (result: BatchResult) => void; reject: (error: Error) => void }
  >();
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
    this.send(message);
  }

  open(dataset: string, start: BatchStart): void {
    this.send({ kind: 'open', dataset, start });
  }

  /** Hands over bytes; resolves when there is room for more. */
  async push(dataset: string, batch: number, bytes: Uint8Array): Promise<void> {
    this.outstanding += bytes.length;
    this.send({ kind: 'push', dataset, batch, bytes });
    while (this.outstanding > MAX_OUTSTANDING && !this.failure) {
      await new Promise<void>((resolve) => this.waiting.push(resolve));
    }
    if (this.failure) throw this.failure;
  }

  /** Ends a batch; resolves when all its lines are read, though not yet stored. */
  close(dataset: string, batch: number): Promise<BatchResult> {
    return new Promise((resolve, reject) => {
      if (this.failure) reject(this.failure);
      this.closing.set(batch, { resolve, reject });
      this.send({ kind: 'close', dataset, batch });
    });
  }

  async end(): Promise<void> {
    await this.worker.terminate();
  }

  private send(message: ToIngest): void {
    this.worker.postMessage(message);
  }

  private receive(message: FromIngest): void {
    switch (message.kind) {
      case 'pushed':
        this.outstanding -= message.length;
        if (this.outstanding <= MAX_OUTSTANDING) this.release();
        break;
      case 'closed':
        this.closing.get(message.batch)?.resolve(message.result);
        this.closing.delete(message.batch);
        break;
      case 'sealed':
        void this.store(message.dataset, message.sealed).finally(() => this.send({ kind: 'stored' }));
        break;
    }
  }

  private release(): void {
    const waiting = this.waiting;
    this.waiting = [];
    for (const resolve of waiting) resolve();
  }
}
