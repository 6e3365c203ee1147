import {
  type Catalog,
  type ColumnCache,
  type Context,
  type Layout,
  SegmentView,
  type SegmentSummary,
  type Shape,
} from '@flail/core';
import DataLoader from 'dataloader';
import { LRUCache } from 'lru-cache';
import { QueryTypes, Sequelize } from 'sequelize';
import { databaseFile } from '../database/database-file.js';
import { zstdCodec } from './codec.js';
import { SEGMENTS_PER_COLUMN } from './block-id.js';
import { SegmentGoneError } from './segment-gone.js';

interface Books {
  shapes: Map<number, Shape>;
  layouts: Map<number, Layout>;
  contexts: Map<number, Context>;
}

const SUMMARIES_KEPT = 4000;
/** Blocks that are read with one statement, at most. */
const BLOCKS_AT_ONCE = 32;

/** Opens segments for reading, in a worker thread; unpacked columns stay in memory up to a limit. */
export class SegmentReader {
  readonly database: Sequelize;
  private readonly cache: LRUCache<string, object>;
  private readonly summaries = new LRUCache<number, { summary: SegmentSummary; dataset: number }>({
    max: SUMMARIES_KEPT,
  });
  private readonly books = new Map<number, Books>();
  private columns = new Map<string, number>();

  constructor(data: string, cacheBytes: number) {
    this.database = new Sequelize({ dialect: 'sqlite', storage: databaseFile(data), logging: false });
    this.cache = new LRUCache({ maxSize: cacheBytes, sizeCalculation: () => 1 });
  }

  private segments = 0;
  private blocks = 0;
  private bytes = 0;

  /** Begins to count anew what is read. */
  beginCounting(): void {
    this.segments = this.blocks = this.bytes = 0;
  }

  counted(): { segments: number; blocks: number; bytes: number } {
    return { segments: this.segments, blocks: this.blocks, bytes: this.bytes };
  }

  async open(id: number): Promise<SegmentView> {
    const { summary, dataset } = await this.summaryOf(id);
    const catalog = await this.catalogOf(dataset, summary);
    this.segments++;
    return new SegmentView(
      String(id),
      summary,
      catalog,
      (column) => this.block(id, column),
      zstdCodec,
      this.columnCache,
    );
  }

  /** The first layouts of a data set, in the order of their ids. */
  async layouts(dataset: number, size: number): Promise<Layout[]> {
    const { layouts } = this.booksOf(dataset);
    if (layouts.size < size) await this.readLayouts(dataset, layouts);
    return Array.from({ length: size }, (_, id) => layouts.get(id)!);
  }

  async close(): Promise<void> {
    await this.database.close();
  }

  private readonly columnCache: ColumnCache = {
    get: (key) => this.cache.get(key),
    set: (key, value, bytes) => {
      this.cache.set(key, value as object, { size: Math.max(1, bytes) });
    },
  };

  private async rows<T extends object>(sql: string): Promise<T[]> {
    return this.database.query<T>(sql, { type: QueryTypes.SELECT });
  }

  private async summaryOf(id: number): Promise<{ summary: SegmentSummary; dataset: number }> {
    const known = this.summaries.get(id);
    if (known) return known;
    const [row] = await this.rows<{ summary: string; dataset_id: number }>(
      `SELECT summary, dataset_id FROM segments WHERE id = ${id}`,
    );
    if (!row) throw new SegmentGoneError(id);
    const found = { summary: parse<SegmentSummary>(row.summary), dataset: row.dataset_id };
    this.summaries.set(id, found);
    return found;
  }

  private async block(segment: number, column: string): Promise<Uint8Array> {
    if (!this.columns.has(column)) {
      const names = await this.rows<{ id: number; name: string }>('SELECT id, name FROM column_names');
      this.columns = new Map(names.map(({ id, name }) => [name, id]));
    }
    const data = await this.loader.load(this.columns.get(column)! * SEGMENTS_PER_COLUMN + segment);
    if (!data) throw new SegmentGoneError(segment);
    this.blocks++;
    this.bytes += data.length;
    return data;
  }

  /** Blocks that are asked for in one go are read in one go. */
  private readonly loader = new DataLoader(
    async (ids: readonly number[]): Promise<(Buffer | undefined)[]> => {
      const found = await this.rows<{ id: number; data: Buffer }>(
        `SELECT id, data FROM column_blocks WHERE id IN (${ids.join(',')})`,
      );
      const byId = new Map(found.map(({ id, data }) => [id, data]));
      return ids.map((id) => byId.get(id));
    },
    { cache: false, maxBatchSize: BLOCKS_AT_ONCE },
  );

  private booksOf(dataset: number): Books {
    let books = this.books.get(dataset);
    if (!books)
      this.books.set(dataset, (books = { shapes: new Map(), layouts: new Map(), contexts: new Map() }));
    return books;
  }

  /** Reads the layouts that have come since. */
  private async readLayouts(dataset: number, layouts: Map<number, Layout>): Promise<void> {
    for (const row of await this.rows<{ id: number; literals: string; types: string }>(
      `SELECT id, literals, types FROM layouts WHERE dataset_id = ${dataset} AND id >= ${layouts.size}`,
    )) {
      layouts.set(row.id, { id: row.id, literals: parse<string[]>(row.literals), types: row.types });
    }
  }

  /** The tables of a data set, brought up to what a segment refers to. */
  private async catalogOf(dataset: number, summary: SegmentSummary): Promise<Catalog> {
    const { shapes, layouts, contexts } = this.booksOf(dataset);
    const own = `WHERE dataset_id = ${dataset} AND id >=`;
    if (!summary.shapes.every((id) => shapes.has(id))) {
      for (const row of await this.rows<{ id: number; body: string }>(
        `SELECT id, body FROM shapes ${own} ${shapes.size}`,
      )) {
        shapes.set(row.id, parse<Shape>(row.body));
      }
    }
    if (!summary.layouts.every((id) => layouts.has(id))) await this.readLayouts(dataset, layouts);
    if (!summary.contexts.every((id) => contexts.has(id))) {
      for (const row of await this.rows<{ id: number; source: string; declared: string }>(
        `SELECT id, source, declared FROM contexts ${own} ${contexts.size}`,
      )) {
        contexts.set(row.id, {
          id: row.id,
          source: row.source,
          attributes: parse<Record<string, string>>(row.declared),
        });
      }
    }
    return {
      shape: (id) => shapes.get(id)!,
      layout: (id) => layouts.get(id)!,
      context: (id) => contexts.get(id)!,
    };
  }
}

/** JSON columns come as text from a plain query, or parsed, depending on the driver's knowledge of the column. */
const parse = <T>(value: string | object): T => (typeof value === 'string' ? JSON.parse(value) : value) as T;
