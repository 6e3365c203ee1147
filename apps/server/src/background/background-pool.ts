import { Inject, Injectable } from '@nestjs/common';
import { CONFIG, type Config } from '../config/config.js';
import { Lifecycle } from '../platform/lifecycle.service.js';
import { Threads } from '../platform/threads.service.js';
import type { WorkerPool } from '../platform/worker-pool.js';
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
export class BackgroundPool {
  private readonly pools = new Map<'slow' | 'quick', WorkerPool<BackgroundTask>>();
  /** Not nought once the server closes down; seen by the threads while they work. */
  private readonly ending = new Int32Array(new SharedArrayBuffer(4));

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly threads: Threads,
    lifecycle: Lifecycle,
  ) {
    lifecycle.ending.addEventListener('abort', () => Atomics.store(this.ending, 0, 1));
  }

  async run<K extends BackgroundTask['task']>(
    task: Extract<BackgroundTask, { task: K }>,
  ): Promise<BackgroundAnswers[K]> {
    const pool = this.pool(WAITED_FOR.includes(task.task) ? 'quick' : 'slow');
    return pool.run<BackgroundAnswers[K]>(task);
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
        last: { task: 'close' },
      });
      this.pools.set(kind, pool);
    }
    return pool;
  }
}
