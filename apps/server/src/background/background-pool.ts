import { type BeforeApplicationShutdown, Inject, Injectable } from '@nestjs/common';
import { CONFIG, type Config } from '../config/config.js';
import { Threads } from '../platform/threads.service.js';
import { CLOSE_MS, type WorkerPool } from '../platform/worker-pool.js';
import { workerFile } from '../store/worker-thread.js';
import type { BackgroundAnswers, BackgroundData, BackgroundTask } from './background-worker.js';

/** Work that somebody may be waiting for after all. */
const WAITED_FOR: readonly BackgroundTask['task'][] = ['group'];

/** Milliseconds that work in the background may take. */
const LIMIT_MS = 300_000;

/**
 * The threads for work that nobody waits for, so that it never stands in the way of a question: one for what
 * takes long, and one for what the next question may need.
 */
@Injectable()
export class BackgroundPool implements BeforeApplicationShutdown {
  private readonly pools = new Map<'slow' | 'quick', WorkerPool<BackgroundTask>>();
  private ended = false;
  /** Not nought once the server closes down; seen by the threads while they work. */
  private readonly ending = new Int32Array(new SharedArrayBuffer(4));

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly threads: Threads,
  ) {}

  async run<K extends BackgroundTask['task']>(
    task: Extract<BackgroundTask, { task: K }>,
  ): Promise<BackgroundAnswers[K]> {
    if (this.ended) throw new Error('The server is closing down.');
    const pool = this.pool(WAITED_FOR.includes(task.task) ? 'quick' : 'slow');
    return pool.run<BackgroundAnswers[K]>(task);
  }

  async beforeApplicationShutdown(): Promise<void> {
    this.ended = true;
    Atomics.store(this.ending, 0, 1);
    await Promise.all([...this.pools.values()].map((pool) => pool.close(CLOSE_MS, { task: 'close' })));
  }

  private pool(kind: 'slow' | 'quick'): WorkerPool<BackgroundTask> {
    let pool = this.pools.get(kind);
    if (!pool) {
      pool = this.threads.pool<BackgroundTask>({
        name: kind === 'slow' ? 'upkeep' : 'grouping',
        file: workerFile('./background-worker', import.meta.url),
        threads: 1,
        data: { data: this.config.data, ending: this.ending } satisfies BackgroundData,
        limit: LIMIT_MS,
      });
      this.pools.set(kind, pool);
    }
    return pool;
  }
}
