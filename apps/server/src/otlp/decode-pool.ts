import { Inject, Injectable } from '@nestjs/common';
import { CONFIG, type Config } from '../config/config.js';
import { Threads } from '../platform/threads.service.js';
import type { WorkerPool } from '../platform/worker-pool.js';
import { badRequest } from '../problems/problem.js';
import { workerFile } from '../store/worker-thread.js';
import type { DecodeAnswer, Decoded, DecodeTask } from './decode-worker.js';

/** Milliseconds that reading one request may take. */
const LIMIT_MS = 60_000;

/** The threads that read requests of other protocols, so that large ones do not stop the server. */
@Injectable()
export class DecodePool {
  private pool: WorkerPool<DecodeTask> | undefined;

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly threads: Threads,
  ) {}

  async read(task: DecodeTask): Promise<Decoded> {
    this.pool ??= this.threads.pool<DecodeTask>({
      name: 'reading other protocols',
      file: workerFile('./decode-worker', import.meta.url),
      // Reading is quick; the threads that take lines in and answer questions need the other cores.
      threads: Math.max(1, Math.floor(this.config.ingestLanes / 2)),
      limit: LIMIT_MS,
      // A thread that is not needed gives its memory back.
      idle: 30_000,
    });
    const answer = await this.pool.run<DecodeAnswer>(task);
    if ('refused' in answer) throw badRequest(answer.refused, answer.message);
    return answer.decoded;
  }
}
