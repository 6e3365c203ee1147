import { type Context, Identities, type Layout, type SegmentSummary, type Shape } from '@flail/core';
import { Inject, Injectable, type OnModuleInit } from '@nestjs/common';
import { Sequelize } from 'sequelize-typescript';
import type { Transaction } from 'sequelize';
import {
  ColumnBlockModel,
  ColumnNameModel,
  ContextModel,
  DatasetModel,
  LayoutModel,
  SegmentModel,
  ShapeModel,
} from '../database/models.js';
import { notFound } from '../problems/problem.js';
import { blockId, SEGMENTS_PER_COLUMN } from './block-id.js';
import { WriteQueue } from './write-queue.js';

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

/** Ending of the key under which a data set's spans can be read. */
export const SPANS = '/spans';

export const DATABASE = Symbol('database');

/** The narrow gate to what is stored: append, list, drop. Readers are the query lanes. */
@Injectable()
export class RecordStore implements OnModuleInit {
  readonly writes = new WriteQueue();
  private readonly datasets = new Map<string, Dataset>();
  private readonly columnIds = new Map<string, number>();

  constructor(@Inject(DATABASE) private readonly database: Sequelize) {}

  async onModuleInit(): Promise<void> {
    for (const { id, name } of await ColumnNameModel.findAll()) this.columnIds.set(name, id);
    for (const row of await DatasetModel.findAll()) this.datasets.set(row.key, await this.load(row));
  }

  /** A data set by its name in the API. Throws where there is none. */
  dataset(key = 'live'): Dataset {
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

  /** Time of the first and the last record held, microseconds since 1970; undefined when there is none. */
  held(dataset: Dataset): { from: number; to: number } | undefined {
    if (dataset.segments.length === 0) return undefined;
    return {
      from: dataset.segments.reduce((least, { from }) => Math.min(least, from), Infinity),
      to: dataset.segments.reduce((most, { to }) => Math.max(most, to), -Infinity),
    };
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
    if (known) return Promise.resolve(known);
    return this.writes.run(async () => {
      const again = dataset.contexts.get(key);
      if (again) return again;
      const context: Context = { id: dataset.contexts.size, source, attributes };
      await ContextModel.create({ ...context, declared: attributes, datasetId: dataset.id });
      dataset.contexts.set(key, context);
      return context;
    });
  }

  /** Stores a segment, durably and as a whole, and lets queries see it. */
  append(dataset: Dataset, write: SegmentWrite): Promise<SegmentInfo> {
    return this.writes.run(async () => {
      const { summary } = write;
      const newColumns: string[] = [];
      for (const name of write.columns.keys()) if (!this.columnIds.has(name)) newColumns.push(name);
      const firstColumn = this.columnIds.size;
      const id = await this.database.transaction(async (transaction) => {
        const columnIds = new Map(newColumns.map((name, index) => [name, firstColumn + index]));
        for (const [name, columnId] of columnIds)
          await ColumnNameModel.create({ id: columnId, name }, { transaction });
        const own = { datasetId: dataset.id };
        if (write.shapes) {
          await ShapeModel.bulkCreate(
            write.shapes.map((shape) => ({ ...own, id: shape.id, body: shape })),
            { transaction },
          );
        }
        if (write.layouts) {
          await LayoutModel.bulkCreate(
            write.layouts.map((layout) => ({ ...own, ...layout })),
            { transaction },
          );
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
        for (const [name, bytes] of write.columns) {
          const column = columnIds.get(name) ?? this.columnIds.get(name)!;
          const data = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
          await ColumnBlockModel.create({ id: blockId(column, segment.id), data }, { transaction });
        }
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
      dataset.segments = [
        ...dataset.segments.filter((segment) => !write.replaces?.includes(segment.id)),
        info,
      ];
      dataset.nextSeq = Math.max(dataset.nextSeq, summary.lastSeq + 1);
      return info;
    });
  }

  /** Lets go of segments. */
  drop(dataset: Dataset, segments: readonly number[]): Promise<void> {
    return this.writes.run(async () => {
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
