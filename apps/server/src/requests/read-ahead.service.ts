import {
  type BeforeApplicationShutdown,
  Injectable,
  Logger,
  type OnApplicationBootstrap,
} from '@nestjs/common';
import { OnEvent } from '@nestjs/event-emitter';
import { RECORDS_STORED } from '../intake/log-intake.service.js';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { AnalysisPool } from './analysis-pool.js';

/** Segments of spans whose requests are read before anybody asks: the newest. */
const AHEAD = 64;
const PAUSE_MS = 2000;

/** Reads which requests begin in the newest spans, so that the first question about them does not wait for that. */
@Injectable()
export class ReadAheadService implements OnApplicationBootstrap, BeforeApplicationShutdown {
  private readonly logger = new Logger('Requests');
  private readonly timers = new Map<number, NodeJS.Timeout>();
  private read = new Set<number>();
  private running: Promise<void> = Promise.resolve();
  private ended = false;

  constructor(
    private readonly store: RecordStore,
    private readonly pool: AnalysisPool,
  ) {}

  onApplicationBootstrap(): void {
    for (const dataset of this.store.all()) this.recordsStored(dataset);
  }

  @OnEvent(RECORDS_STORED)
  recordsStored(dataset: Dataset): void {
    if (dataset.signal !== 'spans' || dataset.segments.length === 0) return;
    if (this.ended || this.timers.has(dataset.id)) return;
    const timer = setTimeout(() => {
      this.timers.delete(dataset.id);
      this.running = this.running
        .then(() => this.readNewest(dataset))
        .catch((error: unknown) => this.logger.error(error instanceof Error ? error.stack : String(error)));
    }, PAUSE_MS);
    timer.unref();
    this.timers.set(dataset.id, timer);
  }

  async beforeApplicationShutdown(): Promise<void> {
    this.ended = true;
    for (const timer of this.timers.values()) clearTimeout(timer);
    await this.running;
  }

  /** One segment after another, so that whoever asks meanwhile waits for one of them at most. */
  private async readNewest({ segments }: Dataset): Promise<void> {
    const newest = [...segments].sort((a, b) => b.to - a.to).slice(0, AHEAD);
    for (const { id } of newest) {
      if (this.ended) return;
      if (!this.read.has(id)) await this.pool.readAhead(id);
      this.read.add(id);
    }
    const held = new Set(this.store.all().flatMap((dataset) => dataset.segments.map(({ id }) => id)));
    this.read = new Set([...this.read].filter((id) => held.has(id)));
  }
}
