import { type BeforeApplicationShutdown, Injectable, Logger } from '@nestjs/common';
import { Lifecycle } from './lifecycle.service.js';
import { type PoolPlan, type PoolReport, WorkerPool } from './worker-pool.js';

/** Milliseconds in which threads end when the server closes down. */
const CLOSE_MS = 1500;

/** Makes pools of threads, knows how all of them fare, and ends them once nobody waits for an answer. */
@Injectable()
export class Threads implements BeforeApplicationShutdown {
  private readonly logger = new Logger('Threads');
  private readonly pools: { close: (grace: number) => Promise<void> }[] = [];
  private readonly reports: (() => PoolReport)[] = [];

  constructor(private readonly lifecycle: Lifecycle) {}

  pool<Task>(plan: PoolPlan<Task>): WorkerPool<Task> {
    const pool = new WorkerPool<Task>(plan, this.logger);
    this.pools.push(pool);
    this.reports.push(() => pool.report());
    return pool;
  }

  /** Tells of threads that are no pool of this kind. */
  add(report: () => PoolReport): void {
    this.reports.push(report);
  }

  all(): PoolReport[] {
    return this.reports.map((report) => report());
  }

  async beforeApplicationShutdown(): Promise<void> {
    await this.lifecycle.end();
    await Promise.all(this.pools.map((pool) => pool.close(CLOSE_MS)));
  }
}
