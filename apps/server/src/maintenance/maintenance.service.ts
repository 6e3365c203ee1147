import { SEGMENT_RECORDS } from '@flail/core';
import { Inject, Injectable, Logger, type BeforeApplicationShutdown } from '@nestjs/common';
import { OnEvent } from '@nestjs/event-emitter';
import { Piscina } from 'piscina';
import { CONFIG, type Config } from '../config/config.js';
import { RECORDS_STORED } from '../intake/log-intake.service.js';
import { type Dataset, RecordStore, type SegmentInfo } from '../store/record-store.js';
import { workerFile } from '../store/worker-thread.js';
import type { Merged, MergeTask } from './merge.js';

/** A segment with fewer records is small. */
const SMALL = SEGMENT_RECORDS / 2;
/** Records that make merging worth while whatever the number of segments. */
const FULL_ENOUGH = SEGMENT_RECORDS * 0.75;
/** So many small segments side by side are put together. */
const ENOUGH = 12;
const PAUSE_MS = 1500;

/** Puts small segments together in the background, so that live traffic does not leave thousands of them. */
@Injectable()
export class MaintenanceService implements BeforeApplicationShutdown {
  private readonly logger = new Logger('Maintenance');
  private pool: Piscina | undefined;
  private timer: NodeJS.Timeout | undefined;
  private running: Promise<void> = Promise.resolve();
  private ended = false;

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly store: RecordStore,
  ) {}

  @OnEvent(RECORDS_STORED)
  recordsStored(dataset: Dataset): void {
    if (this.timer || this.ended) return;
    this.timer = setTimeout(() => {
      this.timer = undefined;
      this.running = this.running
        .then(() => this.tidy(dataset))
        .catch((error: unknown) => this.logger.error(String(error)));
    }, PAUSE_MS);
  }

  async beforeApplicationShutdown(): Promise<void> {
    this.ended = true;
    if (this.timer) clearTimeout(this.timer);
    await this.running;
    await this.pool?.run({ segments: [] } satisfies MergeTask);
    await this.pool?.close();
  }

  /** Puts together what can be, one group after another. */
  private async tidy(dataset: Dataset): Promise<void> {
    for (let group = groupOf(dataset.segments); group && !this.ended; group = groupOf(dataset.segments)) {
      this.pool ??= new Piscina({
        filename: workerFile('./merge', import.meta.url),
        minThreads: 1,
        maxThreads: 1,
        workerData: { data: this.config.data },
      });
      const ids = group.map(({ id }) => id);
      const merged = (await this.pool.run({ segments: ids } satisfies MergeTask)) as Merged;
      await this.store.append(dataset, { ...merged, replaces: ids });
    }
  }
}

/** Small segments next to one another in time that fit into one, once there are enough of them or they fill it. */
export function groupOf(segments: readonly SegmentInfo[]): SegmentInfo[] | undefined {
  const small = segments.filter(({ count }) => count < SMALL).sort((a, b) => a.from - b.from);
  let group: SegmentInfo[] = [];
  let records = 0;
  for (const segment of small) {
    if (records + segment.count > SEGMENT_RECORDS) {
      if (group.length > 1 && records >= FULL_ENOUGH) return group;
      group = [];
      records = 0;
    }
    group.push(segment);
    records += segment.count;
  }
  return group.length >= ENOUGH ? group : undefined;
}
