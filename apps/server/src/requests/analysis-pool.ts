import type { ContrastNews } from '@flail/contract';
import { BrokenBlockError } from '@flail/core';
import { Inject, Injectable } from '@nestjs/common';
import { MessageChannel } from 'node:worker_threads';
import { CONFIG, type Config } from '../config/config.js';
import { Threads } from '../platform/threads.service.js';
import type { WorkerPool } from '../platform/worker-pool.js';
import type { BrokenSegment } from '../query/lane-tasks.js';
import { SegmentGoneError } from '../store/segment-gone.js';
import { workerFile } from '../store/worker-thread.js';
import type {
  AnalysisAnswer,
  AnalysisTask,
  RequestsAnswers,
  RequestsQuestion,
  RequestsTask,
  Subject,
} from './analysis-tasks.js';

/** Milliseconds that a question may take. */
const LIMIT_MS = 120_000;

/** Questions that look through everything and take seconds. */
const LONG: readonly RequestsQuestion['kind'][] = ['onsets', 'moved with', 'contrast', 'contrast runs'];

/**
 * The threads that look into requests, so that what takes long there does not keep questions about lines waiting:
 * one for what is asked while somebody looks on, and one for what looks through all series.
 */
@Injectable()
export class AnalysisPool {
  private readonly pools = new Map<'quick' | 'long', WorkerPool<AnalysisTask>>();

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly threads: Threads,
  ) {}

  async ask<K extends RequestsQuestion['kind']>(
    subject: Subject,
    question: Extract<RequestsQuestion, { kind: K }>,
    told?: (news: ContrastNews) => void,
  ): Promise<{ value: RequestsAnswers[K]; broken: BrokenSegment[] }> {
    const answer = await this.run({ task: 'requests', subject, question }, told);
    if ('gone' in answer) throw new SegmentGoneError(answer.gone);
    if (!('value' in answer)) throw new BrokenBlockError(answer.broken);
    return { value: answer.value as RequestsAnswers[K], broken: answer.broken };
  }

  /** A segment that is gone or damaged is left to whoever asks for it. */
  async readAhead(segment: number): Promise<void> {
    await this.open('quick').run({ task: 'read ahead', segment });
  }

  private async run(task: RequestsTask, told?: (news: ContrastNews) => void): Promise<AnalysisAnswer> {
    const pool = this.open(LONG.includes(task.question.kind) ? 'long' : 'quick');
    if (!told) return pool.run<AnalysisAnswer>(task);
    const { port1: own, port2: news } = new MessageChannel();
    own.on('message', told);
    try {
      return await pool.run<AnalysisAnswer>({ ...task, news }, { transfer: [news] });
    } finally {
      own.close();
    }
  }

  private open(kind: 'quick' | 'long'): WorkerPool<AnalysisTask> {
    let pool = this.pools.get(kind);
    if (!pool) {
      pool = this.threads.pool<AnalysisTask>({
        name: kind === 'quick' ? 'requests' : 'onsets and contrast',
        file: workerFile('./analysis-lane', import.meta.url),
        threads: 1,
        data: { data: this.config.data, cacheBytes: Math.floor(this.config.cacheBytes / 4) },
        limit: LIMIT_MS,
        last: { task: 'close' },
      });
      this.pools.set(kind, pool);
    }
    return pool;
  }
}
