import { openBlock, sealBlock } from '@flail/core';
import { cutPoints, decodePoints, encodePoints, mergePoints, type SeriesPoints } from '@flail/core/series';
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
/** A total grows from the point before the window; it is looked for this far back. */
export const LOOK_BACK = 15 * 60 * 1_000_000;

/** Reads chunks of series, in a worker thread. */
export class SeriesReader {
  constructor(private readonly database: Sequelize) {}

  /** The stored points of series in a window, and those shortly before. */
  async points(ids: readonly number[], from: number, to: number): Promise<Map<number, SeriesPoints[]>> {
    const found = new Map<number, SeriesPoints[]>();
    if (ids.length === 0) return found;
    const rows = await this.rows<ChunkRow>(
      `SELECT id, series_id, count, crc, data FROM series_chunks WHERE series_id IN (${ids.join(',')})
       AND to_micros >= ${from - LOOK_BACK} AND from_micros < ${to} ORDER BY series_id, from_micros`,
    );
    for (const row of rows) {
      const own = found.get(row.series_id);
      if (own) own.push(openChunk(row));
      else found.set(row.series_id, [openChunk(row)]);
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
        if (!last) chunks.push(chunkOf(seriesId, piece));
        else
          chunks.push({
            ...chunkOf(seriesId, mergePoints([openChunk(await this.chunk(last.id)), piece])),
            replaces: last.id,
          });
      }
    }
    return chunks;
  }

  /** Chunks of a series that grow with what comes next, in the periods that some points lie in; the last first. */
  private smallChunks(series: number, from: number, to: number): Promise<ChunkPlace[]> {
    return this.rows<ChunkPlace>(
      `SELECT id, from_micros, to_micros FROM series_chunks WHERE series_id = ${series} AND count < ${FULL}
       AND from_micros >= ${startOfPeriod(from)} AND from_micros < ${startOfPeriod(to) + PERIOD} ORDER BY to_micros DESC`,
    );
  }

  private async chunk(id: number): Promise<ChunkRow> {
    const [row] = await this.rows<ChunkRow>(
      `SELECT id, series_id, count, crc, data FROM series_chunks WHERE id = ${id}`,
    );
    return row!;
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

const openChunk = ({ id, crc, data }: ChunkRow): SeriesPoints =>
  decodePoints(openBlock(data, crc, `series_chunks ${id}`, zstdCodec));
