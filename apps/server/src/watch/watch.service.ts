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
import { SourceNotes } from '../intake/source-notes.service.js';
import { Lifecycle } from '../platform/lifecycle.service.js';
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
  private follower: Follower | undefined;
  /** What was told of files, by their paths. */
  private readonly told = new Map<string, string>();

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly intake: LogIntakeService,
    private readonly notes: SourceNotes,
    private readonly store: RecordStore,
    lifecycle: Lifecycle,
  ) {
    lifecycle.onEnding(() => this.stop());
  }

  onApplicationBootstrap(): void {
    if (this.config.watch !== '') this.follow(this.config.watch);
  }

  beforeApplicationShutdown(): Promise<void> {
    return this.stop();
  }

  /** Ends a look that is under way, once what is on its way is stored. */
  private async stop(): Promise<void> {
    this.ended = true;
    if (this.timer) clearTimeout(this.timer);
    this.follower?.stop();
    await this.looking;
  }

  /** Begins to follow a folder. */
  follow(folder: string): void {
    const follower = new Follower(
      folder,
      join(this.config.data, 'watch.json'),
      (source, key, bytes) => this.take(source, key, bytes),
      (source, path, reason) => this.trouble(source, path, reason),
    );
    this.follower = follower;
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
      verbatim: true,
    });
  }

  /** Tells of a file that can't be followed where people look for it; once, not at every look. */
  private trouble(source: string, path: string, reason: string): void {
    if (this.told.get(path) === reason) return;
    this.told.set(path, reason);
    const message = `The file ${path} is not followed: ${reason}.`;
    this.logger.warn(message);
    this.notes
      .trouble(this.store.dataset(), source, { code: 'not-followed', message, count: 1 })
      .catch((error: unknown) => this.logger.error(String(error)));
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
