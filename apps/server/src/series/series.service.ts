import {
  type Exemplar,
  noPoints,
  type Point,
  type PointsRead,
  type SeriesIdentity,
  seriesKey,
  type SeriesPoints,
} from '@flail/core/series';
import {
  type BeforeApplicationShutdown,
  Inject,
  Injectable,
  Logger,
  type OnModuleInit,
} from '@nestjs/common';
import { EventEmitter2 } from '@nestjs/event-emitter';
import { Op } from 'sequelize';
import type { Sequelize } from 'sequelize-typescript';
import { BackgroundPool } from '../background/background-pool.js';
import { ExemplarModel, SeriesChunkModel, SeriesModel, SeriesTailModel } from '../database/models.js';
import { type Dataset, DATABASE, RecordStore } from '../store/record-store.js';
import { decodeBatch, encodeBatch, Gathered } from './tail.js';

/** A series, with the points of it that are in no chunk yet. */
export interface Series extends SeriesIdentity {
  id: number;
  datasetId: number;
  fresh: Gathered;
}

/** Points that make it worth while to put them into chunks. */
const ENOUGH_POINTS = 200_000;
const CHECK_MS = 60_000;
/** Points wait no longer than this. */
const LONGEST_WAIT_MS = 30 * 60_000;
/** Series of a data set; beyond, points are turned away, since a sender must be inventing labels. */
const MAX_SERIES = 100_000;
/** Exemplars kept of each series. */
const MAX_EXEMPLARS = 500;

export const SERIES_STORED = 'series.stored';

/**
 * Keeps series: points are written ahead as they come, one row for each request, and put into chunks by
 * series from time to time, in the background.
 */
@Injectable()
export class SeriesService implements OnModuleInit, BeforeApplicationShutdown {
  private readonly logger = new Logger('Series');
  private readonly byKey = new Map<string, Series>();
  private readonly byId = new Map<number, Series>();
  private waiting = 0;
  private lastSealed = Date.now();
  private sealing: Promise<void> | undefined;
  private timer: NodeJS.Timeout | undefined;
  private ended = false;

  constructor(
    private readonly store: RecordStore,
    private readonly background: BackgroundPool,
    private readonly events: EventEmitter2,
    @Inject(DATABASE) private readonly database: Sequelize,
  ) {}

  async onModuleInit(): Promise<void> {
    for (const row of await SeriesModel.findAll({ order: ['id'] })) this.meet(row);
    for (const { data } of await SeriesTailModel.findAll({ order: ['id'] })) {
      for (const [id, points] of decodeBatch(data)) this.keep(this.byId.get(id)!, points);
    }
    this.timer = setInterval(() => {
      if (this.waiting > 0 && Date.now() - this.lastSealed > LONGEST_WAIT_MS) this.seal();
    }, CHECK_MS);
    this.timer.unref();
  }

  async beforeApplicationShutdown(): Promise<void> {
    this.ended = true;
    if (this.timer) clearInterval(this.timer);
    await this.sealing;
  }

  /** All series of a data set. */
  of({ id }: Dataset): Series[] {
    return [...this.byId.values()].filter(({ datasetId }) => datasetId === id);
  }

  /** Points that are in no chunk yet. */
  freshOf(series: Series, from: number, to: number): SeriesPoints {
    return series.fresh.times.length === 0 ? noPoints() : series.fresh.between(from, to);
  }

  /** Stores points; answers once they are stored. */
  take(dataset: Dataset, read: PointsRead): Promise<{ rejected: number; reason: string }> {
    return this.store.writes.run(async () => {
      let { rejected, reason } = read;
      const known = await this.identified(dataset, [
        ...new Map(read.points.map(({ series }) => [seriesKey(series), series])),
      ]);
      const byId = new Map<number, Point[]>();
      for (const point of read.points) {
        const series = known.get(seriesKey(point.series));
        if (!series) {
          rejected++;
          reason ||= `There are ${MAX_SERIES.toLocaleString('en')} series already; a label of "${point.series.metric}" may have too many values.`;
          continue;
        }
        const own = byId.get(series.id);
        if (own) own.push(point);
        else byId.set(series.id, [point]);
      }
      if (byId.size > 0) {
        await this.database.transaction(async (transaction) => {
          await SeriesTailModel.create({ datasetId: dataset.id, data: encodeBatch(byId) }, { transaction });
          const exemplars = read.exemplars.flatMap((exemplar) => exemplarRow(exemplar, known));
          if (exemplars.length > 0) await ExemplarModel.bulkCreate(exemplars, { transaction });
        });
        for (const [id, points] of byId) {
          const { fresh } = this.byId.get(id)!;
          for (const { at, columns } of points) fresh.add(at, columns);
          this.waiting += points.length;
        }
        this.events.emit(SERIES_STORED, dataset);
        if (this.waiting >= ENOUGH_POINTS) this.seal();
      }
      return { rejected, reason };
    });
  }

  /** Puts what waits into chunks; resolves once that is done. */
  async sealed(): Promise<void> {
    this.seal();
    await this.sealing;
  }

  private seal(): void {
    if (this.sealing || this.ended) return;
    this.sealing = this.putIntoChunks()
      .catch((error: unknown) => this.logger.error(String(error)))
      .finally(() => (this.sealing = undefined));
  }

  private async putIntoChunks(): Promise<void> {
    this.lastSealed = Date.now();
    // What comes while the thread works stays behind this mark.
    const mark = await this.store.writes.run(async () => {
      const newest = (await SeriesTailModel.max('id')) as number | null;
      return { newest, counts: [...this.byId.values()].map((one) => [one, one.fresh.times.length] as const) };
    });
    if (mark.newest === null) return;
    const chunks = await this.background.run<'seal-series'>({ task: 'seal-series', upTo: mark.newest });
    await this.store.writes.run(async () => {
      await this.database.transaction(async (transaction) => {
        for (const { replaces, ...chunk } of chunks) {
          if (replaces !== undefined)
            await SeriesChunkModel.destroy({ where: { id: replaces }, transaction });
          await SeriesChunkModel.create({ ...chunk, data: Buffer.from(chunk.data) }, { transaction });
        }
        await SeriesTailModel.destroy({ where: { id: { [Op.lte]: mark.newest } }, transaction });
      });
      for (const [series, count] of mark.counts) {
        this.waiting -= count;
        series.fresh = series.fresh.without(count);
      }
    });
    await this.forgetExemplars();
  }

  /** Keeps the newest exemplars of each series. */
  private async forgetExemplars(): Promise<void> {
    await this.store.writes.run(() =>
      this.database.query(
        `DELETE FROM series_exemplars WHERE id IN (SELECT id FROM (SELECT id, row_number() OVER
          (PARTITION BY series_id ORDER BY at_micros DESC) AS place FROM series_exemplars) WHERE place > ${MAX_EXEMPLARS})`,
      ),
    );
  }

  /** The series of identities, made where they are new. */
  private async identified(
    dataset: Dataset,
    wanted: readonly [key: string, identity: SeriesIdentity][],
  ): Promise<Map<string, Series>> {
    const found = new Map<string, Series>();
    const missing: [string, SeriesIdentity][] = [];
    for (const [key, identity] of wanted) {
      const known = this.byKey.get(`${dataset.id}/${key}`);
      if (known) found.set(key, known);
      else missing.push([key, identity]);
    }
    const room = Math.max(0, MAX_SERIES - this.byId.size);
    const made = await SeriesModel.bulkCreate(
      missing.slice(0, room).map(([, identity]) => ({ ...identity, datasetId: dataset.id })),
    );
    made.forEach((row, at) => found.set(missing[at]![0], this.meet(row)));
    return found;
  }

  private meet({ id, datasetId, metric, unit, kind, total, labels }: SeriesModel): Series {
    const series: Series = {
      id,
      datasetId,
      metric,
      unit,
      kind,
      total: Boolean(total),
      labels,
      fresh: new Gathered(),
    };
    this.byId.set(id, series);
    this.byKey.set(`${datasetId}/${seriesKey(series)}`, series);
    return series;
  }

  private keep({ fresh }: Series, { times, columns }: SeriesPoints): void {
    times.forEach((at, index) => {
      const point = [...columns].flatMap(([name, numbers]) =>
        Number.isNaN(numbers[index]!) ? [] : [[name, numbers[index]!] as const],
      );
      fresh.add(at, Object.fromEntries(point));
    });
    this.waiting += times.length;
  }
}

function exemplarRow(
  { series, at, value, trace, span }: Exemplar,
  known: ReadonlyMap<string, Series>,
): Record<string, unknown>[] {
  const found = known.get(seriesKey(series));
  if (!found) return [];
  return [{ seriesId: found.id, atMicros: at, value, trace: trace ?? null, span: span ?? null }];
}
