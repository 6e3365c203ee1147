import {
  type BeforeApplicationShutdown,
  Inject,
  Injectable,
  Logger,
  type OnApplicationBootstrap,
} from '@nestjs/common';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import type { FormatName } from '@flail/core';
import { CONFIG, type Config } from '../config/config.js';
import { SourceModel } from '../database/models.js';
import { LogIntakeService } from '../intake/log-intake.service.js';
import { RecordStore } from '../store/record-store.js';
import { Follower } from './follower.js';

const EVERY_MS = 1000;
/** Records from which on the format that was found is relied on: a few new lines may look like another. */
const SURE = 50;

/** Follows the files of a folder (`FLAIL_WATCH`), each a source of its own. */
@Injectable()
export class WatchService implements OnApplicationBootstrap, BeforeApplicationShutdown {
  private readonly logger = new Logger('Watch');
  private timer: NodeJS.Timeout | undefined;
  private looking: Promise<void> = Promise.resolve();
  private ended = false;
  private fault = '';

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly intake: LogIntakeService,
    private readonly store: RecordStore,
  ) {}

  onApplicationBootstrap(): void {
    if (this.config.watch !== '') this.follow(this.config.watch);
  }

  async beforeApplicationShutdown(): Promise<void> {
    this.ended = true;
    if (this.timer) clearTimeout(this.timer);
    await this.looking;
  }

  /** Begins to follow a folder. */
  follow(folder: string): void {
    const follower = new Follower(folder, join(this.config.data, 'watch.json'), (source, key, bytes) =>
      this.take(source, key, bytes),
    );
    const again = (): void => {
      this.looking = follower
        .look()
        .then(() => this.tell(''))
        .catch((error: unknown) => this.tell(error instanceof Error ? error.message : String(error)))
        .finally(() => {
          if (!this.ended) this.timer = setTimeout(again, EVERY_MS);
        });
    };
    again();
  }

  private async take(source: string, key: string, bytes: Uint8Array): Promise<void> {
    const dataset = this.store.dataset();
    await this.intake.take({
      dataset,
      source,
      attributes: {},
      format: await this.formatOf(dataset.id, source),
      key,
      body: Readable.from([Buffer.from(bytes)]),
    });
  }

  private async formatOf(datasetId: number, name: string): Promise<FormatName | 'auto'> {
    const row = await SourceModel.findOne({ where: { datasetId, name } });
    if (row?.givenFormat) return row.givenFormat as FormatName;
    return row && row.records >= SURE ? (row.format as FormatName) : 'auto';
  }

  /** Says what is wrong once, not every second. */
  private tell(fault: string): void {
    if (fault !== '' && fault !== this.fault) this.logger.warn(`The folder can't be followed: ${fault}`);
    this.fault = fault;
  }
}
