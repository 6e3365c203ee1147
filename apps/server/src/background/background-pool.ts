import { type BeforeApplicationShutdown, Inject, Injectable } from '@nestjs/common';
import { Piscina } from 'piscina';
import { CONFIG, type Config } from '../config/config.js';
import { workerFile } from '../store/worker-thread.js';
import type { BackgroundAnswers, BackgroundTask } from './background-worker.js';

/** Work that somebody may be waiting for after all. */
const WAITED_FOR: readonly BackgroundTask['task'][] = ['group'];

/**
 * The threads for work that nobody waits for, so that it never stands in the way of a question: one for what
 * takes long, and one for what the next question may need.
 */
@Injectable()
export class BackgroundPool implements BeforeApplicationShutdown {
  private readonly pools = new Map<'slow' | 'quick', Piscina>();
  private ended = false;

  constructor(@Inject(CONFIG) private readonly config: Config) {}

  async run<K extends BackgroundTask['task']>(
    task: Extract<BackgroundTask, { task: K }>,
  ): Promise<BackgroundAnswers[K]> {
    if (this.ended) throw new Error('The server is closing down.');
    const pool = this.pool(WAITED_FOR.includes(task.task) ? 'quick' : 'slow');
    return (await pool.run(task)) as BackgroundAnswers[K];
  }

  async beforeApplicationShutdown(): Promise<void> {
    this.ended = true;
    for (const pool of this.pools.values()) {
      // A thread that ends while its database still answers takes the process with it.
      await pool.run({ task: 'close' } satisfies BackgroundTask);
      await pool.close();
    }
  }

  private pool(kind: 'slow' | 'quick'): Piscina {
    let pool = this.pools.get(kind);
    if (!pool) {
      pool = new Piscina({
        filename: workerFile('./background-worker', import.meta.url),
        minThreads: 1,
        maxThreads: 1,
        workerData: { data: this.config.data },
      });
      this.pools.set(kind, pool);
    }
    return pool;
  }
}
