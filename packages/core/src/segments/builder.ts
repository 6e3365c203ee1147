import { ByteWriter } from '../codec/bytes.js';
import type { Codec } from '../codec/codec.js';
import type { Layout } from '../patterns/layout.js';
import { LEVELS } from '../records/levels.js';
import { isStored, type Shape } from '../records/shape.js';
import { sealBlock } from './block.js';
import { COLUMN, fieldColumn, SEGMENT_VERSION, type SegmentSummary, slotColumn } from './segment.js';
import { MinuteCounts } from './minutes.js';
import { encodeValues, writeIntegers } from './value-column.js';

/** A record as it goes into a segment. */
export interface SegmentRecord {
  /** Order of arrival in the data set; also the record's id. */
  seq: number;
  micros: number;
  level: number;
  service: string;
  context: number;
  shape: Shape;
  /** Values of the shape's holes (empty where time or text stands), then of its shadows. */
  values: readonly string[];
  shadows: readonly string[];
  layout: Layout;
  slots: readonly string[];
  /** The received bytes, where the parts do not give them back. */
  exact?: Uint8Array;
  /** Length of the received line in bytes (or characters; used for the statistics of sources only). */
  size: number;
}

export interface BuiltSegment {
  summary: SegmentSummary;
  columns: Map<string, Uint8Array>;
}

/** Slot values are stored in chunks of about this many bytes, so that a search need not unpack all. */
const CHUNK_BYTES = 96 * 1024;

/** Services of one segment are at most as many as its records. */
const MAX_CELL_SERVICES = 65_536;

/** Codes for values in the order in which they first appear. */
class Codes<T> {
  readonly values: T[] = [];
  private readonly codes = new Map<T, number>();

  of(value: T): number {
    let code = this.codes.get(value);
    if (code === undefined) {
      code = this.values.length;
      this.values.push(value);
      this.codes.set(value, code);
    }
    return code;
  }
}

/** Turns records into the columns of one segment. Records are put in time order, those of one time in order of arrival. */
export function buildSegment(unordered: readonly SegmentRecord[], codec: Codec): BuiltSegment {
  const records = [...unordered].sort((a, b) => a.micros - b.micros || a.seq - b.seq);
  const count = records.length;
  const times = new Float64Array(count);
  const seqs = new Float64Array(count);
  const levels = new Uint8Array(count);
  const levelCounts = LEVELS.map(() => 0);
  const contexts = new Codes<number>();
  const shapes = new Codes<number>();
  const services = new Codes<string>();
  const layouts = new Codes<number>();
  const codes = {
    context: new Uint16Array(count),
    shape: new Uint16Array(count),
    service: new Uint16Array(count),
    layout: new Uint16Array(count),
  };
  const fields = new Map<string, string[]>();
  const slots: string[][][] = [];
  const layoutCounts: number[] = [];
  const layoutFirst: number[] = [];
  const layoutLast: number[] = [];
  const layoutLastRow: number[] = [];
  const cells = new Map<number, number>();
  const minutes = new MinuteCounts();
  const exact: [row: number, bytes: Uint8Array][] = [];
  let rawBytes = 0;
  let firstSeq = Infinity;
  let lastSeq = -Infinity;

  const put = (name: string, value: string): void => {
    const column = fields.get(name);
    if (column) column.push(value);
    else fields.set(name, [value]);
  };

  for (let row = 0; row < count; row++) {
    const record = records[row]!;
    times[row] = record.micros;
    seqs[row] = record.seq;
    firstSeq = Math.min(firstSeq, record.seq);
    lastSeq = Math.max(lastSeq, record.seq);
    levels[row] = record.level;
    levelCounts[record.level]!++;
    codes.context[row] = contexts.of(record.context);
    codes.shape[row] = shapes.of(record.shape.id);
    codes.service[row] = services.of(record.service);
    rawBytes += record.size;
    const { holes, shadows } = record.shape;
    for (let hole = 0; hole < holes.length; hole++) {
      if (isStored(holes[hole]!)) put(holes[hole]!.name, record.values[hole]!);
    }
    for (let shadow = 0; shadow < shadows.length; shadow++) put(shadows[shadow]!, record.shadows[shadow]!);
    const layout = (codes.layout[row] = layouts.of(record.layout.id));
    if (layout === slots.length) {
      slots.push(record.slots.map(() => []));
      layoutCounts.push(0);
      layoutFirst.push(record.micros);
      layoutLast.push(record.micros);
    }
    layoutCounts[layout]!++;
    layoutLast[layout] = record.micros;
    layoutLastRow[layout] = row;
    const cell = (layout * MAX_CELL_SERVICES + codes.service[row]!) * LEVELS.length + record.level;
    cells.set(cell, (cells.get(cell) ?? 0) + 1);
    minutes.add(record.micros, codes.service[row]!, record.level);
    const columns = slots[layout]!;
    for (let slot = 0; slot < columns.length; slot++) columns[slot]!.push(record.slots[slot]!);
    if (record.exact) exact.push([row, record.exact]);
  }

  const columns = new Map<string, Uint8Array>();
  const checksums: Record<string, number> = {};
  const seal = (name: string, raw: Uint8Array): void => {
    const block = sealBlock(raw, codec);
    columns.set(name, block.bytes);
    checksums[name] = block.crc;
  };
  seal(COLUMN.time, integers(times));
  seal(COLUMN.seq, integers(seqs));
  seal(COLUMN.level, levels);
  seal(COLUMN.context, narrow(codes.context, contexts.values.length));
  seal(COLUMN.shape, narrow(codes.shape, shapes.values.length));
  seal(COLUMN.service, narrow(codes.service, services.values.length));
  seal(COLUMN.layout, narrow(codes.layout, layouts.values.length));
  seal(COLUMN.minutes, minutes.encode());
  for (const [name, values] of fields) seal(fieldColumn(name), encodeValues(values));
  const slotChunks = sealSlots(slots, seal);
  if (exact.length > 0) seal(COLUMN.exact, exactBytes(exact));

  return {
    summary: {
      version: SEGMENT_VERSION,
      count,
      from: times[0]!,
      to: times[count - 1]!,
      firstSeq,
      lastSeq,
      rawBytes,
      contexts: contexts.values,
      shapes: shapes.values,
      services: services.values,
      levels: levelCounts,
      layouts: layouts.values,
      layoutCounts,
      layoutFirst,
      layoutLast,
      layoutLastRow,
      cells: [...cells].flatMap(([cell, count]) => [
        Math.floor(cell / LEVELS.length / MAX_CELL_SERVICES),
        Math.floor(cell / LEVELS.length) % MAX_CELL_SERVICES,
        cell % LEVELS.length,
        count,
      ]),
      fields: [...fields.keys()],
      slotChunks,
      columns: checksums,
    },
    columns,
  };
}

function integers(numbers: Float64Array): Uint8Array {
  const out = new ByteWriter();
  writeIntegers(out, numbers);
  return out.finish();
}

/** Codes as one byte each while there are few of them. */
function narrow(codes: Uint16Array, distinct: number): Uint8Array {
  if (distinct <= 256) return Uint8Array.from(codes);
  return new Uint8Array(codes.buffer.slice(0));
}

/** Writes slot values in chunks; returns the first layout of each chunk. */
function sealSlots(slots: string[][][], seal: (name: string, raw: Uint8Array) => void): number[] {
  const starts: number[] = [];
  let out = new ByteWriter();
  const flush = (): void => {
    seal(slotColumn(starts.length - 1), out.finish());
    out = new ByteWriter();
  };
  slots.forEach((columns, layout) => {
    if (starts.length === 0) starts.push(layout);
    else if (out.length > CHUNK_BYTES) {
      flush();
      starts.push(layout);
    }
    for (const values of columns) {
      const bytes = encodeValues(values);
      out.varint(bytes.length);
      out.append(bytes);
    }
  });
  if (starts.length > 0) flush();
  return starts;
}

function exactBytes(exact: readonly [row: number, bytes: Uint8Array][]): Uint8Array {
  const out = new ByteWriter();
  out.varint(exact.length);
  for (const [row, bytes] of exact) {
    out.varint(row);
    out.varint(bytes.length);
    out.append(bytes);
  }
  return out.finish();
}
