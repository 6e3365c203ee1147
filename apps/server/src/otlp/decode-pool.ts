import { type BeforeApplicationShutdown, Inject, Injectable } from '@nestjs/common';
import { Piscina } from 'piscina';
import { CONFIG, type Config } from '../config/config.js';
import { badRequest } from '../problems/problem.js';
import { workerFile } from '../store/worker-thread.js';
import type { DecodeAnswer, Decoded, DecodeTask } from './decode-worker.js';

/** The threads that read requests of other protocols, so that large ones do not stop the server. */
@Injectable()
export class DecodePool implements BeforeApplicationShutdown {
  private pool: Piscina | undefined;

  constructor(@Inject(CONFIG) private readonly config: Config) {}

  async read(task: DecodeTask): Promise<Decoded> {
    this.pool ??= new Piscina({
      filename: workerFile('./decode-worker', import.meta.url),
      minThreads: 1,
      // Reading is quick; the threads that take lines in and answer questions need the other cores.
      maxThreads: Math.max(1, Math.floor(this.config.ingestLanes / 2)),
      // A thread that is not needed gives its memory back.
      idleTimeout: 30_000,
    });
    const answer = (await this.pool.run(task)) as DecodeAnswer;
    if ('refused' in answer) throw badRequest(answer.refused, answer.message);
    return answer.decoded;
  }

  async beforeApplicationShutdown(): Promise<void> {
    await this.pool?.close();
  }
}
