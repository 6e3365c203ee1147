import {
  Inject,
  Injectable,
  Logger,
  type OnApplicationBootstrap,
  type BeforeApplicationShutdown,
} from '@nestjs/common';
import { BackgroundPool } from '../background/background-pool.js';
import { CONFIG, type Config } from '../config/config.js';
import { SourceModel } from '../database/models.js';
import { SeriesService } from '../series/series.service.js';
import { type Dataset, isLive, RecordStore } from '../store/record-store.js';
import { fateOf, keptFrom, type Retention } from './retention.js';

const EVERY_MS = 10 * 60_000;
const DAY_MS = 86_400_000;

/** Lets go of records that are past the time or the bytes for which their source is kept, and of old series. */
@Injectable()
export class RetentionService implements OnApplicationBootstrap, BeforeApplicationShutdown {
  private readonly logger = new Logger('Retention');
  private timer: NodeJS.Timeout | undefined;
  private running: Promise<void> = Promise.resolve();
  private ended = false;

  constructor(
    private readonly store: RecordStore,
    private readonly background: BackgroundPool,
    private readonly series: SeriesService,
    @Inject(CONFIG) private readonly config: Config,
  ) {}

  onApplicationBootstrap(): void {
    this.timer = setInterval(() => void this.all(), EVERY_MS);
    this.timer.unref();
  }

  async beforeApplicationShutdown(): Promise<void> {
    this.ended = true;
    clearInterval(this.timer);
    await this.running;
  }

  /** How long each source of a data set is kept, where that is limited. */
  async retentions(dataset: Dataset): Promise<Retention[]> {
    const rows = await SourceModel.findAll({ where: { datasetId: dataset.id } });
    return rows
      .filter(({ maxAge, maxBytes }) => maxAge !== null || maxBytes !== null)
      .map(({ name, maxAge, maxBytes }) => ({
        source: name,
        ...(maxAge !== null && { maxAge }),
        ...(maxBytes !== null && { maxBytes }),
      }));
  }

  /** Goes over all data sets; one time after another. */
  all(): Promise<void> {
    this.running = this.running
      .then(async () => {
        for (const dataset of this.store.all()) await this.apply(dataset);
      })
      .catch((error: unknown) =>
        this.logger.error(error instanceof Error ? (error.stack ?? error.message) : String(error)),
      );
    return this.running;
  }

  private async apply(dataset: Dataset): Promise<void> {
    const { seriesDays } = this.config;
    // What was kept of another time is kept on purpose.
    if (seriesDays > 0 && isLive(dataset))
      await this.series.forgetBefore(dataset, (Date.now() - seriesDays * DAY_MS) * 1000);
    const retentions = await this.retentions(dataset);
    if (retentions.length === 0) return;
    const contexts = new Map([...dataset.contexts.values()].map(({ id, source }) => [id, source]));
    const from = keptFrom(dataset.segments, contexts, retentions, Date.now() * 1000);
    for (const segment of [...dataset.segments]) {
      if (this.ended) return;
      const fate = fateOf(segment, from);
      if (fate === 'drop') await this.store.drop(dataset, [segment.id]);
      if (fate !== 'rewrite') continue;
      const built = await this.background.run<'retain'>({
        task: 'retain',
        segment: segment.id,
        keptFrom: from,
      });
      // It may have been put together with others meanwhile; then it is looked at the next time.
      if (!dataset.segments.includes(segment)) continue;
      if (built) await this.store.append(dataset, { ...built, replaces: [segment.id] });
      else await this.store.drop(dataset, [segment.id]);
    }
  }
}
