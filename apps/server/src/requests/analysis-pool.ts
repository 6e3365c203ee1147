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

/** The thread that looks into requests: what takes long there does not keep questions about lines waiting. */
@Injectable()
export class AnalysisPool implements BeforeApplicationShutdown {
  private pool: Piscina | undefined;

  constructor(@Inject(CONFIG) private readonly config: Config) {}

  async ask<K extends RequestsQuestion['kind']>(
    subject: Subject,
    question: Extract<RequestsQuestion, { kind: K }>,
  ): Promise<{ value: RequestsAnswers[K]; broken: BrokenSegment[] }> {
    const task: AnalysisTask = { task: 'requests', subject, question };
    const answer = (await this.open().run(task)) as AnalysisAnswer;
    if ('gone' in answer) throw new SegmentGoneError(answer.gone);
    if (!('value' in answer)) throw new BrokenBlockError(answer.broken);
    return { value: answer.value as RequestsAnswers[K], broken: answer.broken };
  }

  async beforeApplicationShutdown(): Promise<void> {
    // A thread that ends while its database still answers takes the process with it.
    await this.pool?.run({ task: 'close' } satisfies AnalysisTask).catch(() => undefined);
    await this.pool?.close({ force: false });
  }

  private open(): Piscina {
    this.pool ??= new Piscina({
      filename: workerFile('./analysis-lane', import.meta.url),
      minThreads: 1,
      maxThreads: 1,
      workerData: { data: this.config.data, cacheBytes: Math.floor(this.config.cacheBytes / 2) },
    });
    return this.pool;
  }
}
