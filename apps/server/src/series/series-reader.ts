import { BrokenBlockError, openBlock, sealBlock } from '@flail/core';
import { cutPoints, decodePoints, encodePoints, mergePoints, type SeriesPoints } from '@flail/core/series';
import { LRUCache } from 'lru-cache';
import { QueryTypes, type Sequelize } from 'sequelize';
import { zstdCodec } from '../store/codec.js';
import { decodeBatch } from './tail.js';

/** A chunk as it is stored, and which one it takes the place of. */
export interface ChunkWrite {
  seriesId: number;
  fromMicros: number;
  toMicros: number;
  count: number;
  crc: number;
  data: Uint8Array;
  replaces?: number;
}

interface ChunkRow {
  id: number;
  series_id: number;
  count: number;
  crc: number;
  data: Buffer;
}

interface ChunkPlace {
  id: number;
  from_micros: number;
  to_micros: number;
}

/** A chunk lies in one period, so that chunks follow one another in whatever order their points came. */
const PERIOD = 2 * 86_400_000_000;
const startOfPeriod = (time: number): number => Math.floor(time / PERIOD) * PERIOD;
/** A chunk with fewer points grows with what comes next. */
const FULL = 2000;
/** Chunks that are read in one go. */
const AT_ONCE = 200;
/** A total grows from the point before the window; it is looked for this far back. */
export const LOOK_BACK = 15 * 60 * 1_000_000;

/** Reads chunks of series, in a worker thread; unpacked ones are kept, since the same past is asked for again and again. */
export class SeriesReader {
  private readonly cache: LRUCache<number, SeriesPoints> | undefined;
  private broken = 0;

  constructor(
    private readonly database: Sequelize,
    cacheBytes = 0,
  ) {
    this.cache = cacheBytes > 0 ? new LRUCache({ maxSize: cacheBytes, sizeCalculation: bytesOf }) : undefined;
  }

  /** The stored points of series in a window, and those shortly before. */
  async points(ids: readonly number[], from: number, to: number): Promise<Map<number, SeriesPoints[]>> {
    const found = new Map<number, SeriesPoints[]>();
    if (ids.length === 0) return found;
    const places = await this.rows<Pick<ChunkRow, 'id' | 'series_id'>>(
      `SELECT id, series_id FROM series_chunks WHERE series_id IN (${ids.join(',')})
       AND to_micros >= ${from - LOOK_BACK} AND from_micros < ${to} ORDER BY series_id, from_micros`,
    );
    const chunks = new Map<number, SeriesPoints>();
    const missing: number[] = [];
    for (const { id } of places) {
      // A chunk is never changed: what takes its place has another id.
      const known = this.cache?.get(id);
      if (known) chunks.set(id, known);
      else missing.push(id);
    }
    for (let at = 0; at < missing.length; at += AT_ONCE)
      for (const row of await this.chunkRows(missing.slice(at, at + AT_ONCE))) {
        const points = this.unlessBroken(row);
        chunks.set(row.id, points);
        this.cache?.set(row.id, points);
      }
    for (const { id, series_id } of places) {
      const points = chunks.get(id);
      // One that is gone by now was written anew, or let go of.
      if (!points) return this.points(ids, from, to);
      const own = found.get(series_id);
      if (own) own.push(points);
      else found.set(series_id, [points]);
    }
    return found;
  }

  /** Chunks of the points written ahead, up to a row; the last chunk of a period is written anew while it is small. */
  async chunks(upTo: number): Promise<ChunkWrite[]> {
    const fresh = new Map<number, SeriesPoints[]>();
    for (const { data } of await this.rows<{ data: Buffer }>(
      `SELECT data FROM series_tail WHERE id <= ${upTo} ORDER BY id`,
    )) {
      for (const [id, bytes] of decodeBatch(data)) {
        const own = fresh.get(id);
        if (own) own.push(decodePoints(bytes));
        else fresh.set(id, [decodePoints(bytes)]);
      }
    }
    const chunks: ChunkWrite[] = [];
    for (const [seriesId, parts] of fresh) {
      const pieces = cutPoints(mergePoints(parts), PERIOD);
      const small = await this.smallChunks(seriesId, pieces[0]!.times[0]!, pieces.at(-1)!.times.at(-1)!);
      for (const piece of pieces) {
        const start = startOfPeriod(piece.times[0]!);
        const last = small.find(
          ({ from_micros, to_micros }) => from_micros >= start && to_micros < start + PERIOD,
        );
        const [before] = last ? await this.chunkRows([last.id]) : [];
        const known = before && this.unlessBroken(before);
        // One that is damaged stays as it is: what may be read of it another day is not thrown away.
        if (!last || !known || known.times.length === 0) chunks.push(chunkOf(seriesId, piece));
        else
          chunks.push({
            ...chunkOf(seriesId, mergePoints([known, piece])),
            replaces: last.id,
          });
      }
    }
    return chunks;
  }

  /** Chunks that turned out to be damaged since this was last asked; their points are left out. */
  brokenSince(): number {
    const { broken } = this;
    this.broken = 0;
    return broken;
  }

  private unlessBroken(row: ChunkRow): SeriesPoints {
    try {
      return openChunk(row);
    } catch (error) {
      if (!(error instanceof BrokenBlockError)) throw error;
      this.broken++;
      return mergePoints([]);
    }
  }

  /** Chunks of a series that grow with what comes next, in the periods that some points lie in; the last first. */
  private smallChunks(series: number, from: number, to: number): Promise<ChunkPlace[]> {
    return this.rows<ChunkPlace>(
      `SELECT id, from_micros, to_micros FROM series_chunks WHERE series_id = ${series} AND count < ${FULL}
       AND from_micros >= ${startOfPeriod(from)} AND from_micros < ${startOfPeriod(to) + PERIOD} ORDER BY to_micros DESC`,
    );
  }

  private chunkRows(ids: readonly number[]): Promise<ChunkRow[]> {
    return this.rows<ChunkRow>(
      `SELECT id, series_id, count, crc, data FROM series_chunks WHERE id IN (${ids.join(',')})`,
    );
  }

  private rows<T extends object>(sql: string): Promise<T[]> {
    return this.database.query<T>(sql, { type: QueryTypes.SELECT });
  }
}

function chunkOf(seriesId: number, points: SeriesPoints): ChunkWrite {
  const { bytes, crc } = sealBlock(encodePoints(points), zstdCodec);
  const { times } = points;
  return { seriesId, fromMicros: times[0]!, toMicros: times.at(-1)!, count: times.length, crc, data: bytes };
}

const bytesOf = ({ times, columns }: SeriesPoints): number => 8 * times.length * (1 + columns.size) + 200;

const openChunk = ({ id, crc, data }: ChunkRow): SeriesPoints =>
  decodePoints(openBlock(data, crc, `series_chunks ${id}`, zstdCodec));
