import { type BeforeApplicationShutdown, Inject, Injectable } from '@nestjs/common';
import { Piscina } from 'piscina';
import { CONFIG, type Config } from '../config/config.js';
import { workerFile } from '../store/worker-thread.js';
import type { BackgroundAnswers, BackgroundTask } from './background-worker.js';

/** The thread for work that nobody waits for, so that it never stands in the way of a question. */
@Injectable()
export class BackgroundPool implements BeforeApplicationShutdown {
  private pool: Piscina | undefined;
  private ended = false;

  constructor(@Inject(CONFIG) private readonly config: Config) {}

  async run<K extends BackgroundTask['task']>(
    task: Extract<BackgroundTask, { task: K }>,
  ): Promise<BackgroundAnswers[K]> {
    if (this.ended) throw new Error('The server is closing down.');
    this.pool ??= new Piscina({
      filename: workerFile('./background-worker', import.meta.url),
      minThreads: 1,
      maxThreads: 1,
      workerData: { data: this.config.data },
    });
    return (await this.pool.run(task)) as BackgroundAnswers[K];
  }

  async beforeApplicationShutdown(): Promise<void> {
    this.ended = true;
    // A thread that ends while its database still answers takes the process with it.
    await this.pool?.run({ task: 'close' } satisfies BackgroundTask);
    await this.pool?.close();
  }
}
