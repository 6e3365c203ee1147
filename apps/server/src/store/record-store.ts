import {
  type Context,
  Identities,
  type Layout,
  type SegmentSummary,
  type Shape,
  type Window,
} from '@flail/core';
import { Inject, Injectable, type OnModuleInit } from '@nestjs/common';
import { EventEmitter2 } from '@nestjs/event-emitter';
import { type ModelCtor, Sequelize } from 'sequelize-typescript';
import type { Transaction } from 'sequelize';
import {
  ChangeModel,
  ColumnBlockModel,
  ColumnNameModel,
  ContextModel,
  CorrectionModel,
  DatasetModel,
  ExemplarModel,
  IntakeBatchModel,
  LayoutModel,
  MarkModel,
  ObjectiveModel,
  type ReplayState,
  RunModel,
  SegmentModel,
  SeriesChunkModel,
  SeriesModel,
  SeriesTailModel,
  ShapeModel,
  SourceModel,
} from '../database/models.js';
import { notFound } from '../problems/problem.js';
import { insertRows } from '../database/insert-rows.js';
import { blockId, SEGMENTS_PER_COLUMN } from './block-id.js';
import { bufferOf } from './buffers.js';
import { shownPart, shownUntil } from './replay.js';
import { BundledWrites, WriteQueue } from './write-queue.js';

/** What is kept in memory of a segment. */
export interface SegmentInfo {
  id: number;
  from: number;
  to: number;
  count: number;
  rawBytes: number;
  /** Senders of its records, and how many records each has; counts are absent in segments of version 1. */
  contexts: readonly number[];
  contextCounts?: readonly number[];
}

/** A data set with what its segments refer to. */
export interface Dataset {
  id: number;
  key: string;
  name: string;
  /** What its records are: lines, or the spans of requests. */
  signal: 'logs' | 'spans';
  segments: SegmentInfo[];
  /** In the order of their ids. */
  layouts: Layout[];
  identities: Identities;
  /** Records of each layout, as far as they are known to have come. */
  layoutRecords: number[];
  contexts: Map<string, Context>;
  nextSeq: number;
  /** False while a bundle is being opened into it. */
  ready: boolean;
  /** Windows and scope that it was kept for, as parameters of a view. */
  view: string;
  /** Given where it is played back: only what comes before some moment is shown. */
  replay?: ReplayState;
}

/** A segment to be stored, with what it needs beside it. */
export interface SegmentWrite {
  summary: SegmentSummary;
  columns: ReadonlyMap<string, Uint8Array>;
  shapes?: readonly Shape[];
  layouts?: readonly Layout[];
  /** Segments that this one takes the place of. */
  replaces?: readonly number[];
  /** Further writes of the same transaction. */
  also?: (transaction: Transaction) => Promise<void>;
}

interface WantedContext {
  dataset: Dataset;
  key: string;
  source: string;
  attributes: Record<string, string>;
}

/** Rows that belong to a data set, beside its segments. */
const OF_DATASET: ModelCtor[] = [
  ContextModel,
  ShapeModel,
  LayoutModel,
  IntakeBatchModel,
  SourceModel,
  CorrectionModel,
  MarkModel,
  SeriesTailModel,
  SeriesModel,
  ChangeModel,
  RunModel,
  ObjectiveModel,
];

/** Ending of the key under which a data set's spans can be read. */
export const SPANS = '/spans';

/** Key of the data set that senders send to. */
const LIVE = 'live';

/** True for the data set that senders send to; the others are kept bundles. */
export const isLive = ({ key }: Dataset): boolean => key === LIVE || key === LIVE + SPANS;

/** Told of with a data set that was let go of. */
export const DATASET_FORGOTTEN = 'dataset.forgotten';

export const DATABASE = Symbol('database');

/** The narrow gate to what is stored: append, list, drop. Readers are the query lanes. */
@Injectable()
export class RecordStore implements OnModuleInit {
  readonly writes = new WriteQueue();
  private readonly newContexts = new BundledWrites(this.writes, (wanted: readonly WantedContext[]) =>
    this.addContexts(wanted),
  );
  private readonly datasets = new Map<string, Dataset>();
  private readonly columnIds = new Map<string, number>();
  /** Those who read all segments of a data set, by its id; each resolves when it is done. */
  private readonly holds = new Map<number, Set<Promise<void>>>();

  constructor(
    @Inject(DATABASE) private readonly database: Sequelize,
    private readonly events: EventEmitter2,
  ) {}

  async onModuleInit(): Promise<void> {
    for (const { id, name } of await ColumnNameModel.findAll()) this.columnIds.set(name, id);
    for (const row of await DatasetModel.findAll()) this.datasets.set(row.key, await this.load(row));
    // What was being opened when the process ended is no whole bundle.
    for (const dataset of this.all())
      if (!dataset.ready && dataset.signal === 'logs') await this.forget(dataset);
  }

  /** A data set by its name in the API. Throws where there is none. */
  dataset(key = LIVE): Dataset {
    const found = this.datasets.get(key);
    if (!found) throw notFound('no-such-dataset', `There is no data set "${key}".`);
    return found;
  }

  /** All bodies of records, those of spans beside those of logs. */
  all(): Dataset[] {
    return [...this.datasets.values()];
  }

  /** The spans that belong to a data set, made when they are new. */
  async spansOf({ key, name }: Dataset): Promise<Dataset> {
    const own = key + SPANS;
    return (
      this.datasets.get(own) ??
      this.writes.run(async () => {
        const known = this.datasets.get(own);
        if (known) return known;
        const made = await this.load(
          await DatasetModel.create({ key: own, name: `${name}: spans`, signal: 'spans' }),
        );
        this.datasets.set(own, made);
        return made;
      })
    );
  }

  /** Makes a data set for a bundle; it is not ready until `settle`. */
  make(name: string, view = ''): Promise<Dataset> {
    return this.writes.run(async () => {
      const row = await DatasetModel.create({ key: '', name, view, signal: 'logs', ready: false });
      // With its number in it, a key never comes to mean another data set.
      await row.update({ key: `${slugOf(name)}-${row.id}` });
      const dataset = await this.load(row);
      this.datasets.set(row.key, dataset);
      return dataset;
    });
  }

  /** Changes what a data set is called, whether it is ready, and how it is played back. */
  settle(
    dataset: Dataset,
    change: { name?: string; ready?: boolean; replay?: ReplayState | null },
  ): Promise<void> {
    return this.writes.run(async () => {
      await DatasetModel.update(change, { where: { id: dataset.id } });
      if (change.name !== undefined) dataset.name = change.name;
      if (change.ready !== undefined) dataset.ready = change.ready;
      if (change.replay) dataset.replay = change.replay;
      else if (change.replay === null) delete dataset.replay;
    });
  }

  /** Lets go of a data set with its spans, series and all. */
  async forget(dataset: Dataset): Promise<void> {
    const spans = this.datasets.get(dataset.key + SPANS);
    for (const own of spans ? [spans, dataset] : [dataset]) {
      this.datasets.delete(own.key);
      // Large ones are let go piece by piece, so that others may write in between.
      for (const { id } of own.segments) await this.drop(own, [id]);
      await this.writes.run(() => this.forgetRows(own));
      this.events.emit(DATASET_FORGOTTEN, own);
    }
  }

  private async forgetRows({ id }: Dataset): Promise<void> {
    const where = { datasetId: id };
    await this.database.transaction(async (transaction) => {
      const series = await SeriesModel.findAll({ where, attributes: ['id'], transaction });
      const seriesId = series.map((one) => one.id);
      const ofSeries: ModelCtor[] = [SeriesChunkModel, ExemplarModel];
      for (const model of ofSeries) await model.destroy({ where: { seriesId }, transaction });
      for (const model of OF_DATASET) await model.destroy({ where, transaction });
      await DatasetModel.destroy({ where: { id }, transaction });
    });
  }

  /** Time of the first and the last record held, microseconds since 1970; undefined when there is none. */
  held(dataset: Dataset): Window | undefined {
    const spans = this.datasets.get(dataset.key + SPANS);
    const segments = spans ? [...dataset.segments, ...spans.segments] : dataset.segments;
    if (segments.length === 0) return undefined;
    return {
      from: segments.reduce((least, { from }) => Math.min(least, from), Infinity),
      to: segments.reduce((most, { to }) => Math.max(most, to), -Infinity),
    };
  }

  /** The same, as far as it is shown. */
  shown(dataset: Dataset): Window | undefined {
    const held = this.held(dataset);
    const until = this.shownUntil(dataset);
    return held && held.from < until ? { from: held.from, to: Math.min(held.to, until - 1) } : undefined;
  }

  /** Up to where a data set is shown, microseconds since 1970; without limit where it is not played back. */
  shownUntil({ key }: Dataset): number {
    const own = this.dataset(key.endsWith(SPANS) ? key.slice(0, -SPANS.length) : key);
    return shownUntil(own);
  }

  /** The part of a window that is shown. */
  shownPart(dataset: Dataset, window: Window): Window {
    return shownPart(window, this.shownUntil(dataset));
  }

  /** The layouts and shapes of a data set, in the order of their ids; for a worker that takes in lines. */
  async books(dataset: Dataset): Promise<{ shapes: Shape[]; layouts: Layout[] }> {
    const where = { datasetId: dataset.id };
    const shapes = await ShapeModel.findAll({ where, order: ['id'] });
    const layouts = await LayoutModel.findAll({ where, order: ['id'] });
    return {
      shapes: shapes.map((row) => row.body as Shape),
      layouts: layouts.map(({ id, literals, types }) => ({ id, literals, types })),
    };
  }

  /** The context of a sender, made when it is new. */
  contextOf(dataset: Dataset, source: string, attributes: Record<string, string>): Promise<Context> {
    const key = JSON.stringify([source, Object.entries(attributes).sort(([a], [b]) => (a < b ? -1 : 1))]);
    const known = dataset.contexts.get(key);
    return known ? Promise.resolve(known) : this.newContexts.add({ dataset, key, source, attributes });
  }

  private async addContexts(wanted: readonly WantedContext[]): Promise<Context[]> {
    const fresh = new Map<string, { dataset: Dataset; key: string; context: Context }>();
    const added = new Map<Dataset, number>();
    const found = wanted.map(({ dataset, key, source, attributes }): Context => {
      const name = `${dataset.id}/${key}`;
      const known = dataset.contexts.get(key) ?? fresh.get(name)?.context;
      if (known) return known;
      const more = added.get(dataset) ?? 0;
      added.set(dataset, more + 1);
      const context: Context = { id: dataset.contexts.size + more, source, attributes };
      fresh.set(name, { dataset, key, context });
      return context;
    });
    await this.database.transaction((transaction) =>
      insertRows(
        ContextModel,
        [...fresh.values()].map(({ dataset, context: { id, source, attributes } }) => ({
          id,
          datasetId: dataset.id,
          source,
          declared: JSON.stringify(attributes),
        })),
        ['id', 'datasetId', 'source', 'declared'],
        transaction,
      ),
    );
    for (const { dataset, key, context } of fresh.values()) dataset.contexts.set(key, context);
    return found;
  }

  /** Keeps the segments of a data set as they are, for one who reads them all; new ones may still come. */
  hold(dataset: Dataset): Promise<{ segments: readonly SegmentInfo[]; release: () => void }> {
    return this.writes.run(() => {
      let release = (): void => undefined;
      const held = new Promise<void>((resolve) => (release = resolve));
      const holds = this.holds.get(dataset.id) ?? new Set();
      this.holds.set(dataset.id, holds.add(held));
      void held.then(() => holds.delete(held));
      return Promise.resolve({ segments: dataset.segments, release });
    });
  }

  /** Runs a write that changes or drops segments, once nobody holds them. */
  private async unheld<T>(dataset: Dataset, write: () => Promise<T>): Promise<T> {
    for (;;) {
      const done = await this.writes.run(async () => {
        const holds = [...(this.holds.get(dataset.id) ?? [])];
        return holds.length > 0 ? { holds } : { value: await write() };
      });
      if ('value' in done) return done.value as T;
      await Promise.all(done.holds);
    }
  }

  /** Stores a segment, durably and as a whole, and lets queries see it. */
  append(dataset: Dataset, write: SegmentWrite): Promise<SegmentInfo> {
    const store = (): Promise<SegmentInfo> => this.appendNow(dataset, write);
    return write.replaces ? this.unheld(dataset, store) : this.writes.run(store);
  }

  private async appendNow(dataset: Dataset, write: SegmentWrite): Promise<SegmentInfo> {
    const { summary } = write;
    const newColumns: string[] = [];
    for (const name of write.columns.keys()) if (!this.columnIds.has(name)) newColumns.push(name);
    const firstColumn = this.columnIds.size;
    const id = await this.database.transaction(async (transaction) => {
      const columnIds = new Map(newColumns.map((name, index) => [name, firstColumn + index]));
      const columnRows = [...columnIds].map(([name, id]) => ({ id, name }));
      await insertRows(ColumnNameModel, columnRows, ['id', 'name'], transaction);
      const own = { datasetId: dataset.id };
      if (write.shapes) {
        const rows = write.shapes.map((shape) => ({ ...own, id: shape.id, body: JSON.stringify(shape) }));
        await insertRows(ShapeModel, rows, ['id', 'datasetId', 'body'], transaction);
      }
      if (write.layouts) {
        const rows = write.layouts.map(({ id, literals, types }) => ({
          ...own,
          id,
          literals: JSON.stringify(literals),
          types,
        }));
        await insertRows(LayoutModel, rows, ['id', 'datasetId', 'literals', 'types'], transaction);
      }
      const segment = await SegmentModel.create(
        {
          ...own,
          fromMicros: summary.from,
          toMicros: summary.to,
          count: summary.count,
          lastSeq: summary.lastSeq,
          summary,
        },
        { transaction },
      );
      const blocks = [...write.columns].map(([name, bytes]) => ({
        id: blockId(columnIds.get(name) ?? this.columnIds.get(name)!, segment.id),
        data: bufferOf(bytes),
      }));
      await insertRows(ColumnBlockModel, blocks, ['id', 'data'], transaction);
      if (write.replaces) await this.remove(write.replaces, transaction);
      await write.also?.(transaction);
      return segment.id;
    });
    newColumns.forEach((name, index) => this.columnIds.set(name, firstColumn + index));
    for (const layout of write.layouts ?? []) meet(dataset, layout);
    // Segments put together hold no new records.
    if (!write.replaces) countLayouts(dataset, summary);
    const info = infoOf(id, summary);
    // A new list: a query under way keeps the one it began with.
    dataset.segments = [...dataset.segments.filter((segment) => !write.replaces?.includes(segment.id)), info];
    dataset.nextSeq = Math.max(dataset.nextSeq, summary.lastSeq + 1);
    return info;
  }

  /** Lets go of segments. */
  drop(dataset: Dataset, segments: readonly number[]): Promise<void> {
    return this.unheld(dataset, async () => {
      await this.database.transaction((transaction) => this.remove(segments, transaction));
      dataset.segments = dataset.segments.filter(({ id }) => !segments.includes(id));
    });
  }

  private async remove(segments: readonly number[], transaction: Transaction): Promise<void> {
    for (const id of segments) {
      const summary = (await SegmentModel.findByPk(id, { transaction }))?.summary as
        SegmentSummary | undefined;
      const blocks = Object.keys(summary?.columns ?? {}).map((name) =>
        blockId(this.columnIds.get(name)!, id),
      );
      await ColumnBlockModel.destroy({ where: { id: blocks }, transaction });
      await SegmentModel.destroy({ where: { id }, transaction });
    }
  }

  private async load(row: DatasetModel): Promise<Dataset> {
    const where = { datasetId: row.id };
    const segments = await SegmentModel.findAll({
      where,
      attributes: ['id', 'lastSeq', 'summary'],
    });
    const dataset: Dataset = {
      id: row.id,
      key: row.key,
      name: row.name,
      signal: row.signal,
      segments: segments.map(({ id, summary }) => infoOf(id, summary as SegmentSummary)),
      layouts: [],
      identities: new Identities(),
      layoutRecords: [],
      contexts: new Map(),
      ready: row.ready,
      view: row.view,
      ...(row.replay && { replay: row.replay }),
      nextSeq: segments.reduce((next, { lastSeq }) => Math.max(next, lastSeq + 1), 0),
    };
    if (segments.some(({ id }) => id >= SEGMENTS_PER_COLUMN))
      throw new Error('The store has run out of segment numbers.');
    for (const { id, literals, types } of await LayoutModel.findAll({ where, order: ['id'] })) {
      meet(dataset, { id, literals, types });
    }
    for (const { summary } of segments) countLayouts(dataset, summary as SegmentSummary);
    for (const { id, source, declared } of await ContextModel.findAll({ where, order: ['id'] })) {
      const entries = Object.entries(declared).sort(([a], [b]) => (a < b ? -1 : 1));
      dataset.contexts.set(JSON.stringify([source, entries]), { id, source, attributes: declared });
    }
    return dataset;
  }
}

/** What a data set is found by in addresses. */
const slugOf = (name: string): string =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 60) || 'bundle';

const infoOf = (
  id: number,
  { from, to, count, rawBytes, contexts, contextCounts }: SegmentSummary,
): SegmentInfo => ({
  id,
  from,
  to,
  count,
  rawBytes,
  contexts,
  ...(contextCounts && { contextCounts }),
});

function meet(dataset: Dataset, layout: Layout): void {
  dataset.layouts.push(layout);
  dataset.identities.add(layout);
  dataset.layoutRecords.push(0);
}

function countLayouts(dataset: Dataset, { layouts, layoutCounts }: SegmentSummary): void {
  layouts.forEach((id, code) => (dataset.layoutRecords[id]! += layoutCounts[code]!));
}
