import type { Window } from '@flail/core';
import { decodePoints, type SeriesIdentity, seriesKey } from '@flail/core/series';
import {
  type BeforeApplicationShutdown,
  Inject,
  Injectable,
  Logger,
  type OnModuleInit,
} from '@nestjs/common';
import { OnEvent } from '@nestjs/event-emitter';
import { Op, QueryTypes } from 'sequelize';
import type { Sequelize } from 'sequelize-typescript';
import { BackgroundPool } from '../background/background-pool.js';
import { insertRows } from '../database/insert-rows.js';
import { ExemplarModel, SeriesChunkModel, SeriesModel, SeriesTailModel } from '../database/models.js';
import { type Dataset, DATABASE, DATASET_FORGOTTEN, RecordStore } from '../store/record-store.js';
import { decodeBatch, encodeBatch, type EncodedPoints, type FreshPoints } from './tail.js';

/** A series, with the points of it that are in no chunk yet. */
export interface Series extends SeriesIdentity {
  id: number;
  datasetId: number;
  fresh: FreshPoints[];
}

/** Points that make it worth while to put them into chunks. */
const ENOUGH_POINTS = 500_000;
const CHECK_MS = 60_000;
/** Points wait no longer than this. */
const LONGEST_WAIT_MS = 30 * 60_000;
/** Series of a data set; beyond, points are turned away, since a sender must be inventing labels. */
const MAX_SERIES = 100_000;
/** Exemplars kept of each series. */
const MAX_EXEMPLARS = 500;

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
    @Inject(DATABASE) private readonly database: Sequelize,
  ) {}

  async onModuleInit(): Promise<void> {
    for (const row of await SeriesModel.findAll({ order: ['id'] })) this.meet(row);
    for (const { data } of await SeriesTailModel.findAll({ order: ['id'] })) {
      for (const [id, bytes] of decodeBatch(data)) {
        const { times } = decodePoints(bytes);
        const sorted = Float64Array.from(times).sort();
        this.keep(this.byId.get(id)!, {
          from: sorted[0]!,
          to: sorted.at(-1)!,
          count: times.length,
          bytes: Uint8Array.from(bytes),
        });
      }
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

  @OnEvent(DATASET_FORGOTTEN)
  forget(dataset: Dataset): void {
    for (const series of this.of(dataset)) {
      this.waiting -= series.fresh.reduce((sum, { count }) => sum + count, 0);
      this.byId.delete(series.id);
      this.byKey.delete(keyOf(dataset.id, series));
    }
  }

  /** All series of a data set. */
  of({ id }: Dataset): Series[] {
    return [...this.byId.values()].filter(({ datasetId }) => datasetId === id);
  }

  /** The time of the first and the last point of a data set. */
  async held(dataset: Dataset): Promise<Window | undefined> {
    const own = this.of(dataset);
    if (own.length === 0) return undefined;
    const [chunks] = await this.database.query<{ first: number | null; last: number | null }>(
      `SELECT MIN(from_micros) AS first, MAX(to_micros) AS last FROM series_chunks
       WHERE series_id IN (SELECT id FROM series WHERE dataset_id = ?)`,
      { type: QueryTypes.SELECT, replacements: [dataset.id] },
    );
    let [from, to] = [chunks?.first ?? Infinity, chunks?.last ?? -Infinity];
    for (const { fresh } of own)
      for (const points of fresh) [from, to] = [Math.min(from, points.from), Math.max(to, points.to)];
    return from > to ? undefined : { from, to };
  }

  /** Points that are in no chunk yet, as they came; reading them is the lanes' work. */
  freshOf(series: Series, from: number, to: number): Uint8Array[] {
    return series.fresh.filter((own) => own.to >= from && own.from < to).map(({ bytes }) => bytes);
  }

  /** Stores points; answers once they are stored. */
  take(dataset: Dataset, read: EncodedPoints): Promise<{ rejected: number; reason: string }> {
    return this.store.writes.run(async () => {
      const known = await this.identified(
        dataset,
        read.series.map(({ identity }) => identity),
      );
      let rejected = 0;
      let reason = '';
      const stored: [Series, FreshPoints][] = [];
      read.series.forEach(({ identity, points }, at) => {
        const series = known[at];
        if (series) stored.push([series, points]);
        else {
          rejected += points.count;
          reason ||= `There are ${MAX_SERIES.toLocaleString('en')} series already; a label of "${identity.metric}" may have too many values.`;
        }
      });
      if (stored.length === 0) return { rejected, reason };
      const exemplars = read.exemplars.flatMap(({ series, at, value, trace, span }) => {
        const seriesId = known[series]?.id;
        return seriesId === undefined
          ? []
          : [{ seriesId, atMicros: at, value, trace: trace ?? null, span: span ?? null }];
      });
      await this.database.transaction(async (transaction) => {
        const data = encodeBatch(stored.map(([{ id }, points]) => [id, points]));
        await SeriesTailModel.create({ datasetId: dataset.id, data }, { transaction });
        if (exemplars.length > 0) await ExemplarModel.bulkCreate(exemplars, { transaction });
      });
      for (const [series, points] of stored) this.keep(series, points);
      if (this.waiting >= ENOUGH_POINTS) this.seal();
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
      const newest = await SeriesTailModel.max<number | null, SeriesTailModel>('id');
      return { newest, counts: [...this.byId.values()].map((one) => [one, one.fresh.length] as const) };
    });
    if (mark.newest === null) return;
    const chunks = await this.background.run<'seal-series'>({ task: 'seal-series', upTo: mark.newest });
    await this.store.writes.run(async () => {
      await this.database.transaction(async (transaction) => {
        // Its data set may have been let go of meanwhile.
        const kept = chunks.filter(({ seriesId }) => this.byId.has(seriesId));
        const replaced = kept.flatMap(({ replaces }) => (replaces === undefined ? [] : [replaces]));
        await SeriesChunkModel.destroy({ where: { id: replaced }, transaction });
        await insertRows(
          SeriesChunkModel,
          kept.map((chunk) => ({ ...chunk, data: Buffer.from(chunk.data) })),
          ['seriesId', 'fromMicros', 'toMicros', 'count', 'crc', 'data'],
          transaction,
        );
        await SeriesTailModel.destroy({ where: { id: { [Op.lte]: mark.newest } }, transaction });
      });
      for (const [series, count] of mark.counts) {
        this.waiting -= series.fresh.slice(0, count).reduce((sum, own) => sum + own.count, 0);
        series.fresh = series.fresh.slice(count);
      }
    });
    await this.forgetExemplars();
  }

  /** Lets go of what was measured before a moment, a chunk at a time, and of series of which nothing is left. */
  async forgetBefore(dataset: Dataset, moment: number): Promise<void> {
    await this.store.writes.run(async () => {
      const replacements = { dataset: dataset.id, moment };
      const ofDataset = 'series_id IN (SELECT id FROM series WHERE dataset_id = :dataset)';
      const gone = await this.database.transaction(async (transaction) => {
        const run = (sql: string): Promise<unknown> =>
          this.database.query(sql, { replacements, transaction });
        await run(`DELETE FROM series_chunks WHERE to_micros < :moment AND ${ofDataset}`);
        await run(`DELETE FROM series_exemplars WHERE at_micros < :moment AND ${ofDataset}`);
        const empty = await this.database.query<{ id: number }>(
          `SELECT id FROM series WHERE dataset_id = :dataset
           AND id NOT IN (SELECT series_id FROM series_chunks)`,
          { replacements, transaction, type: QueryTypes.SELECT },
        );
        const without = empty.filter(({ id }) => this.byId.get(id)?.fresh.length === 0);
        await SeriesModel.destroy({ where: { id: without.map(({ id }) => id) }, transaction });
        return without;
      });
      for (const { id } of gone) {
        this.byKey.delete(keyOf(dataset.id, this.byId.get(id)!));
        this.byId.delete(id);
      }
    });
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

  /** The series of identities, made where they are new; undefined for those that there is no room for. */
  private async identified(
    dataset: Dataset,
    wanted: readonly SeriesIdentity[],
  ): Promise<(Series | undefined)[]> {
    const keys = wanted.map((identity) => keyOf(dataset.id, identity));
    const missing = new Map<string, SeriesIdentity>();
    keys.forEach((key, at) => {
      if (!this.byKey.has(key)) missing.set(key, wanted[at]!);
    });
    if (missing.size > 0) {
      const room = Math.max(0, MAX_SERIES - this.byId.size);
      const rows = [...missing.values()].slice(0, room);
      for (const row of await SeriesModel.bulkCreate(
        rows.map((identity) => ({ ...identity, datasetId: dataset.id })),
      ))
        this.meet(row);
    }
    return keys.map((key) => this.byKey.get(key));
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
      fresh: [],
    };
    this.byId.set(id, series);
    this.byKey.set(keyOf(datasetId, series), series);
    return series;
  }

  private keep(series: Series, points: FreshPoints): void {
    series.fresh.push(points);
    this.waiting += points.count;
  }
}

const keyOf = (dataset: number, identity: SeriesIdentity): string => `${dataset}/${seriesKey(identity)}`;
