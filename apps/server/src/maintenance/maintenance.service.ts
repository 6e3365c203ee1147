import { SEGMENT_RECORDS } from '@flail/core';
import { Injectable, Logger, type BeforeApplicationShutdown } from '@nestjs/common';
import { OnEvent } from '@nestjs/event-emitter';
import { Op } from 'sequelize';
import { BackgroundPool } from '../background/background-pool.js';
import { IntakeBatchModel } from '../database/models.js';
import { RECORDS_STORED } from '../intake/log-intake.service.js';
import { type Dataset, RecordStore, type SegmentInfo } from '../store/record-store.js';

/** A segment with fewer records is small. */
const SMALL = SEGMENT_RECORDS / 2;
/** Records that make merging worth while whatever the number of segments. */
const FULL_ENOUGH = SEGMENT_RECORDS * 0.75;
/** So many small segments side by side are put together. */
const ENOUGH = 12;
const PAUSE_MS = 1500;
const HOUR_MS = 3_600_000;
/** How long a batch can be sent again under its key. */
const KEYS_KEPT_MS = 48 * HOUR_MS;

/** Puts small segments together in the background, so that live traffic does not leave thousands of them. */
@Injectable()
export class MaintenanceService implements BeforeApplicationShutdown {
  private readonly logger = new Logger('Maintenance');
  private timer: NodeJS.Timeout | undefined;
  private running: Promise<void> = Promise.resolve();
  private ended = false;
  private forgotten = 0;
  /** Segments that could not be put together with others; one of them may be damaged. */
  private readonly left = new Set<number>();

  constructor(
    private readonly background: BackgroundPool,
    private readonly store: RecordStore,
  ) {}

  @OnEvent(RECORDS_STORED)
  recordsStored(dataset: Dataset): void {
    if (this.timer || this.ended) return;
    this.timer = setTimeout(() => {
      this.timer = undefined;
      this.running = this.running
        .then(() => this.tidy(dataset))
        .catch((error: unknown) => {
          // What is given up as the server closes down is done the next time.
          if (!this.ended) this.logger.error(error instanceof Error ? error.stack : String(error));
        });
    }, PAUSE_MS);
  }

  async beforeApplicationShutdown(): Promise<void> {
    this.ended = true;
    if (this.timer) clearTimeout(this.timer);
    await this.running;
  }

  /** Forgets the keys of old batches; nobody sends them again. */
  private async forgetKeys(): Promise<void> {
    if (Date.now() - this.forgotten < HOUR_MS) return;
    this.forgotten = Date.now();
    const old = { [Op.lt]: new Date(Date.now() - KEYS_KEPT_MS) };
    await this.store.writes.run(() => IntakeBatchModel.destroy({ where: { at: old } }));
  }

  /** Puts together what can be, one group after another. */
  private async tidy(dataset: Dataset): Promise<void> {
    await this.forgetKeys();
    const next = (): SegmentInfo[] | undefined =>
      groupOf(dataset.segments.filter(({ id }) => !this.left.has(id)));
    for (let group = next(); group && !this.ended; group = next()) {
      const ids = group.map(({ id }) => id);
      try {
        const merged = await this.background.run<'merge'>({ task: 'merge', segments: ids });
        await this.store.append(dataset, { ...merged, replaces: ids });
      } catch (error) {
        for (const id of ids) this.left.add(id);
        throw error;
      }
    }
  }
}

/** Segments are put together with others of about their size: of one power of four. */
const tierOf = ({ count }: SegmentInfo): number => Math.floor(Math.log2(Math.max(1, count)) / 2);

/**
 * Small segments of about one size that fit into one, once there are enough of them or they fill it. Only
 * like sizes are joined, so that a record is written anew a few times in all, not with every group.
 */
export function groupOf(segments: readonly SegmentInfo[]): SegmentInfo[] | undefined {
  const tiers = new Map<number, SegmentInfo[]>();
  for (const segment of [...segments].sort((a, b) => a.from - b.from)) {
    if (segment.count >= SMALL) continue;
    const tier = tiers.get(tierOf(segment));
    if (tier) tier.push(segment);
    else tiers.set(tierOf(segment), [segment]);
  }
  for (const tier of tiers.values()) {
    const group: SegmentInfo[] = [];
    let records = 0;
    for (const segment of tier) {
      if (records + segment.count > SEGMENT_RECORDS) break;
      group.push(segment);
      records += segment.count;
    }
    if (group.length >= ENOUGH || (group.length > 1 && records >= FULL_ENOUGH)) return group;
  }
  return undefined;
}
