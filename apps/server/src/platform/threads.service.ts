import { Injectable, Logger } from '@nestjs/common';
import { type PoolPlan, type PoolReport, WorkerPool } from './worker-pool.js';

/** Makes pools of threads, and knows how all of them fare. */
@Injectable()
export class Threads {
  private readonly logger = new Logger('Threads');
  private readonly reports: (() => PoolReport)[] = [];

  pool<Task>(plan: PoolPlan): WorkerPool<Task> {
    const pool = new WorkerPool<Task>(plan, this.logger);
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
}
