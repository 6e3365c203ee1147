import { BrokenBlockError } from '@flail/core';
import { type BeforeApplicationShutdown, Inject, Injectable } from '@nestjs/common';
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
  ): Promise<{ value: RequestsAnswers[K]; broken: BrokenSegment[] }> {
    const task: AnalysisTask = { task: 'requests', subject, question };
    const answer = (await this.open(LONG.includes(question.kind) ? 'long' : 'quick').run(
      task,
    )) as AnalysisAnswer;
    if ('gone' in answer) throw new SegmentGoneError(answer.gone);
    if (!('value' in answer)) throw new BrokenBlockError(answer.broken);
    return { value: answer.value as RequestsAnswers[K], broken: answer.broken };
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
