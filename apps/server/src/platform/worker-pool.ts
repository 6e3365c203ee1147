import type { Logger } from '@nestjs/common';
import { Piscina } from 'piscina';
import type { Transferable } from 'node:worker_threads';
import { bringToEnd } from './thread-end.js';

/** Work that was given up because its thread did not come back with it. */
export class StuckTaskError extends Error {
  readonly code = 'took-too-long';

  constructor(pool: string, seconds: number) {
    super(
      `This was given up after ${seconds} s, longer than it may take; the thread for ${pool} that was stuck in it has been replaced.`,
    );
  }
}

/** How the threads of a pool fared. */
export interface PoolReport {
  name: string;
  threads: number;
  /** Tasks under way, and tasks that wait for a thread. */
  running: number;
  waiting: number;
  /** Threads that were stuck and have been replaced, and when the last of them was. */
  replaced: number;
  lastReplaced?: Date;
}

export interface PoolPlan<Task> {
  /** What its threads do, for people. */
  name: string;
  /** Built code of a thread; its default export takes a task. */
  file: string;
  threads: number;
  /** Given to each thread as it starts. */
  data?: unknown;
  /** Milliseconds that a task may take, once it has begun, where it is given no other limit. */
  limit: number;
  /** Milliseconds after which a thread without work ends; never where left out. */
  idle?: number;
  /**
   * Given to a thread before it ends, to close its database: a thread that ends while its database still answers
   * takes the process with it. A pool with such a task has one thread.
   */
  last?: Task;
}

interface Waiting {
  begin: () => void;
  refuse: (error: Error) => void;
}

/**
 * Threads that do one kind of work. Each task has a limit of time: a thread that exceeds it is ended and replaced,
 * so that nothing that is asked can stop what others ask.
 */
export class WorkerPool<Task> {
  private readonly pool: Piscina;
  private readonly waiting: Waiting[] = [];
  private running = 0;
  private replaced = 0;
  private lastReplaced: Date | undefined;
  private closing = false;

  constructor(
    private readonly plan: PoolPlan<Task>,
    private readonly logger: Logger,
  ) {
    const { file, threads, data, idle } = plan;
    this.pool = new Piscina({
      filename: file,
      minThreads: 1,
      maxThreads: threads,
      workerData: data,
      ...(idle !== undefined && { idleTimeout: idle }),
    });
  }

  /** Runs a task in a thread. Throws `StuckTaskError` when it takes too long, or what the task threw. */
  async run<Answer>(
    task: Task,
    { limit = this.plan.limit, transfer = [] }: { limit?: number; transfer?: Transferable[] } = {},
  ): Promise<Answer> {
    if (this.closing) throw new Error('The server is closing down.');
    // A task waits here and not at the thread, so that its time counts from its beginning.
    if (this.running >= this.plan.threads)
      await new Promise<void>((begin, refuse) => this.waiting.push({ begin, refuse }));
    else this.running++;
    try {
      return await this.limited<Answer>(task, limit, transfer);
    } finally {
      const next = this.waiting.shift();
      if (next) next.begin();
      else this.running--;
    }
  }

  report(): PoolReport {
    const { running, replaced, lastReplaced } = this;
    const { name, threads } = this.plan;
    const waiting = this.waiting.length;
    return { name, threads, running, waiting, replaced, ...(lastReplaced && { lastReplaced }) };
  }

  /** Ends the threads: refuses what waits, and lets what runs end within some milliseconds. */
  async close(grace: number): Promise<void> {
    this.closing = true;
    for (const { refuse } of this.waiting.splice(0)) refuse(new Error('The server is closing down.'));
    const end = Date.now() + grace;
    const left = (): number => Math.max(50, end - Date.now());
    const { last } = this.plan;
    try {
      if (last !== undefined) await this.limited(last, left(), []);
      await within(this.pool.close({ force: false }), left());
    } catch {
      await this.bringToEnd();
      await this.pool.destroy();
    }
  }

  /** Gets the thread of a pool of one ready to be ended, whatever it is doing. */
  private async bringToEnd(): Promise<void> {
    const [thread] = this.pool.threads;
    if (thread && this.plan.last !== undefined) await bringToEnd(thread.threadId);
  }

  private async limited<Answer>(task: Task, limit: number, transferList: Transferable[]): Promise<Answer> {
    const stuck = new AbortController();
    const timer = setTimeout(() => void this.bringToEnd().then(() => stuck.abort()), limit);
    try {
      return (await this.pool.run(task, { signal: stuck.signal, transferList })) as Answer;
    } catch (error) {
      if (!stuck.signal.aborted) throw error;
      this.replaced++;
      this.lastReplaced = new Date();
      const problem = new StuckTaskError(this.plan.name, Math.round(limit / 1000));
      if (!this.closing) this.logger.error(problem.message);
      throw problem;
    } finally {
      clearTimeout(timer);
    }
  }
}

/** The promise, or an error when it takes longer than so many milliseconds. */
function within<T>(promise: Promise<T>, limit: number): Promise<T> {
  return new Promise((resolve, reject) => {
    const timer = setTimeout(() => reject(new Error('It took too long.')), limit);
    promise.then(resolve, reject).finally(() => clearTimeout(timer));
  });
}
