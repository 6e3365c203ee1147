import type { ContrastNews } from '@flail/contract';
import { BrokenBlockError } from '@flail/core';
import { type BeforeApplicationShutdown, Inject, Injectable } from '@nestjs/common';
import { MessageChannel } from 'node:worker_threads';
import { Piscina } from 'piscina';
import { CONFIG, type Config } from '../config/config.js';
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

/** Questions that look through everything and take seconds. */
const LONG: readonly RequestsQuestion['kind'][] = ['onsets', 'moved with', 'contrast', 'contrast runs'];

/**
 * The threads that look into requests, so that what takes long there does not keep questions about lines waiting:
 * one for what is asked while somebody looks on, and one for what looks through all series.
 */
@Injectable()
export class AnalysisPool implements BeforeApplicationShutdown {
  private readonly pools = new Map<'quick' | 'long', Piscina>();

  constructor(@Inject(CONFIG) private readonly config: Config) {}

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
    await this.open('quick').run({ task: 'read ahead', segment } satisfies AnalysisTask);
  }

  private async run(task: RequestsTask, told?: (news: ContrastNews) => void): Promise<AnalysisAnswer> {
    const pool = this.open(LONG.includes(task.question.kind) ? 'long' : 'quick');
    if (!told) return (await pool.run(task)) as AnalysisAnswer;
    const { port1: own, port2: news } = new MessageChannel();
    own.on('message', told);
    try {
      return (await pool.run({ ...task, news }, { transferList: [news] })) as AnalysisAnswer;
    } finally {
      own.close();
    }
  }

  async beforeApplicationShutdown(): Promise<void> {
    for (const pool of this.pools.values()) {
      // A thread that ends while its database still answers takes the process with it.
      await pool.run({ task: 'close' } satisfies AnalysisTask).catch(() => undefined);
      await pool.close({ force: false });
    }
  }

  private open(kind: 'quick' | 'long'): Piscina {
    let pool = this.pools.get(kind);
    if (!pool) {
      pool = new Piscina({
        filename: workerFile('./analysis-lane', import.meta.url),
        minThreads: 1,
        maxThreads: 1,
        workerData: { data: this.config.data, cacheBytes: Math.floor(this.config.cacheBytes / 4) },
      });
      this.pools.set(kind, pool);
    }
    return pool;
  }
}
