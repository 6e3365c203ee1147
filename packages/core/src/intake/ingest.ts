import { decodeUtf8 } from '../codec/bytes.js';
import type { Codec } from '../codec/codec.js';
import { type Layout, LayoutBook } from '../patterns/layout.js';
import { type FormatName, type Shape, ShapeBook } from '../records/shape.js';
import { appendValues, type BuiltSegment, SegmentBuilder } from '../segments/builder.js';
import { SEGMENT_RECORDS } from '../segments/segment.js';
import { carriedRecord } from './carried.js';
import type { CsvColumns } from './csv.js';
import { FastJson } from './fast-json.js';
import type { Head } from './head.js';
import { messagesIn } from './framed.js';
import { LogParser, type ParsedRecord, type Problem } from './log-parser.js';

/** One request to take in lines. */
export interface BatchStart {
  id: number;
  context: number;
  /** Service of records whose lines name none. */
  service: string;
  format: FormatName | 'auto';
  /** Moment of arrival, microseconds since 1970. */
  arrival: number;
  /** Records of this batch that are stored already, from an earlier try that was cut short. */
  skip: number;
  /** Columns of the source, where they are known from before. */
  columns?: CsvColumns;
  /** What lines of plain text of the source open with, where that is known from before. */
  heads?: readonly Head[];
  /** Given where the lines are carried records, each with the place of its sender here. */
  senders?: readonly Sender[];
  /** True where what is taken in are whole messages, each behind its length. */
  framed?: boolean;
}

/** Who records are from. */
export interface Sender {
  context: number;
  /** Service of records whose lines name none. */
  service: string;
}

export interface BatchResult {
  accepted: number;
  malformed: number;
  format: FormatName;
  /** Time of the first and the last record, microseconds since 1970; absent when there was none. */
  span?: { from: number; to: number };
  problems: Problem[];
  /** Columns of its lines, where their format has such. */
  columns?: CsvColumns;
  /** What its lines open with, where that was learned from them. */
  heads?: readonly Head[];
}

/** A segment ready to be stored, with all that has to be stored beside it. */
export interface Sealed extends BuiltSegment {
  shapes: Shape[];
  layouts: Layout[];
  /** Records of each batch in this segment, by the chunk that they came in. */
  batches: Map<number, Map<number, number>>;
}

/** A part of a batch that is taken in by itself. */
export interface ChunkStart {
  /** Its number in the batch. */
  index: number;
  /** Records of it that are stored already, from an earlier try that was cut short. */
  skip: number;
  /** Number of its first record. */
  firstSeq: number;
  /** Who it is from, where the parts of a batch have different senders. */
  sender?: Sender;
}

export interface ChunkResult {
  index: number;
  records: number;
  lines: number;
}

interface Batch {
  start: BatchStart;
  parser: LogParser;
  records: number;
  /** The chunk that is being taken in, its records so far, and how many of them are stored already. */
  chunk: number;
  inChunk: number;
  skip: number;
  from: number;
  to: number;
}

/**
 * Takes in batches of lines, several at a time, and seals them into segments. State that outlives a
 * segment are the books of shapes and layouts.
 */
export class Ingest {
  private readonly shapes: ShapeBook;
  private readonly layouts: LayoutBook;
  private readonly batches = new Map<number, Batch>();
  private readonly builder = new SegmentBuilder();
  private readonly json = new FastJson();
  /** Full segments that nobody has asked for yet. */
  private readonly ready: Sealed[] = [];
  private counts = new Map<number, Map<number, number>>();
  private savedShapes: number;
  private savedLayouts: number;
  private readonly serviceAt = new Map<Shape, [values: 'values' | 'shadows', index: number] | undefined>();
  private readonly services = new Services();
  private scratch = new Uint8Array(4096);

  /** @param nextSeq number of the first record, unless a push says otherwise */
  constructor(
    private readonly codec: Codec,
    shapes: readonly Shape[],
    layouts: readonly Layout[],
    private nextSeq: number,
  ) {
    this.shapes = new ShapeBook(shapes);
    this.layouts = new LayoutBook(layouts);
    this.savedShapes = shapes.length;
    this.savedLayouts = layouts.length;
  }

  /** Records that wait for being sealed. */
  get waiting(): number {
    return this.ready.length * SEGMENT_RECORDS + this.builder.count;
  }

  open(start: BatchStart): void {
    const batch: Batch = {
      start,
      records: 0,
      chunk: 0,
      inChunk: 0,
      skip: start.skip,
      from: Infinity,
      to: -Infinity,
      parser: new LogParser(
        this.shapes,
        start.format,
        start.arrival,
        (record) => this.take(batch, record),
        {
          json: this.json,
          isUtf8: (bytes) => this.codec.isUtf8(bytes),
          emit: (shape, bytes, from, to) => this.takeFast(batch, shape, bytes, from, to),
        },
        start.columns,
        start.heads,
      ),
    };
    this.batches.set(start.id, batch);
  }

  /** Takes in the next bytes of a batch. Its records are numbered from `firstSeq` on, which leaves one number for each byte. */
  push(batch: number, bytes: Uint8Array, firstSeq = this.nextSeq): void {
    this.nextSeq = firstSeq;
    this.batches.get(batch)?.parser.push(bytes);
  }

  /**
   * Takes in a part of a batch by itself: whole lines, none of which goes on with a line of another part.
   * Parts of one batch may be taken in at different places at the same time.
   */
  pushChunk(id: number, bytes: Uint8Array, { index, skip, firstSeq, sender }: ChunkStart): ChunkResult {
    const batch = this.batches.get(id);
    if (!batch) throw new Error(`There is no batch ${id}.`);
    batch.chunk = index;
    batch.inChunk = 0;
    batch.skip = skip;
    if (sender) batch.start = { ...batch.start, ...sender };
    this.nextSeq = firstSeq;
    const before = batch.parser.lineCount;
    if (batch.start.senders) this.takeCarried(batch, bytes, batch.start.senders);
    else if (batch.start.framed) for (const message of messagesIn(bytes)) batch.parser.record(message, NaN);
    else batch.parser.push(bytes);
    batch.parser.end();
    return { index, records: batch.inChunk, lines: batch.parser.lineCount - before };
  }

  /** Takes in records that were carried from another store. */
  private takeCarried(batch: Batch, bytes: Uint8Array, senders: readonly Sender[]): void {
    const starts = senders.map((sender) => ({ ...batch.start, ...sender }));
    for (const text of decodeUtf8(bytes).split('\n')) {
      if (text.trim() === '') continue;
      const record = carriedRecord(text);
      const start = record && starts[record.sender];
      if (start) {
        batch.start = start;
        batch.parser.record(record.line, record.micros);
      } else batch.parser.refuse(text);
    }
  }

  /** Ends a batch; what it left unfinished becomes records, numbered from `firstSeq` on. */
  close(id: number, firstSeq = this.nextSeq): BatchResult {
    const batch = this.batches.get(id);
    if (!batch) throw new Error(`There is no batch ${id}.`);
    this.nextSeq = firstSeq;
    batch.parser.end();
    this.batches.delete(id);
    const { malformed, problems, format, columns, heads } = batch.parser;
    return {
      accepted: batch.records,
      malformed,
      format: format ?? 'plain',
      ...(batch.records > 0 && { span: { from: batch.from, to: batch.to } }),
      problems: [...problems.values()],
      ...(columns && { columns }),
      ...(heads.length > 0 && { heads }),
    };
  }

  /** Takes a full segment, or else makes one of the records waiting. */
  seal(): Sealed | undefined {
    return this.ready.shift() ?? (this.builder.count > 0 ? this.sealBuilder() : undefined);
  }

  private sealBuilder(): Sealed {
    const segment = this.builder.seal(this.codec);
    const batches = this.counts;
    this.counts = new Map();
    const shapes = this.shapes.shapes.slice(this.savedShapes);
    const layouts = this.layouts.layouts.slice(this.savedLayouts);
    this.savedShapes += shapes.length;
    this.savedLayouts += layouts.length;
    return { ...segment, shapes, layouts, batches };
  }

  /** Counts a record of a batch; false for one that is stored already. */
  private counted(batch: Batch, micros: number): boolean {
    batch.records++;
    batch.inChunk++;
    if (micros < batch.from) batch.from = micros;
    if (micros > batch.to) batch.to = micros;
    if (batch.inChunk <= batch.skip) return false;
    if (this.builder.full) this.ready.push(this.sealBuilder());
    const { id } = batch.start;
    let chunks = this.counts.get(id);
    if (!chunks) this.counts.set(id, (chunks = new Map<number, number>()));
    chunks.set(batch.chunk, (chunks.get(batch.chunk) ?? 0) + 1);
    return true;
  }

  /** A record that was read as text. */
  private take(batch: Batch, record: ParsedRecord): void {
    if (!this.counted(batch, record.micros)) return;
    const { builder, layouts } = this;
    const { shape, text } = record;
    if (this.scratch.length < text.length * 3) this.scratch = new Uint8Array(text.length * 3);
    const { scratch } = this;
    const { written } = encoder.encodeInto(text, scratch);
    const layout = layouts.place(scratch, 0, written, shape.format === 'access');
    const service = this.serviceOf(record) ?? batch.start.service;
    builder.add(
      record.micros,
      this.nextSeq++,
      record.level,
      service,
      batch.start.context,
      shape,
      layout,
      record.size,
    );
    appendValues(builder, record);
    this.appendSlots(layout, scratch);
    if (record.raw) builder.keepExact(record.raw);
  }

  /** A line that was read as bytes. */
  private takeFast(batch: Batch, shape: Shape, bytes: Uint8Array, from: number, to: number): void {
    const { json, builder } = this;
    if (!this.counted(batch, json.micros)) return;
    const { starts, ends, service, textBytes } = json;
    const layout = this.layouts.place(textBytes, json.textFrom, json.textTo);
    const named = service < 0 ? '' : this.services.at(bytes, starts[service]!, ends[service]!);
    builder.add(
      json.micros,
      this.nextSeq++,
      json.level,
      named === '' ? batch.start.service : named,
      batch.start.context,
      shape,
      layout,
      to - from,
    );
    const { holes } = builder.columnsOf(shape);
    for (let hole = 0; hole < holes.length; hole++) holes[hole]?.append(bytes, starts[hole]!, ends[hole]!);
    this.appendSlots(layout, textBytes);
  }

  private appendSlots(layout: Layout, bytes: Uint8Array): void {
    const { starts, ends } = this.layouts.scan;
    const columns = this.builder.slotsOf(layout);
    for (let slot = 0; slot < columns.length; slot++)
      columns[slot]!.append(bytes, starts[slot]!, ends[slot]!);
  }

  /** The service that a line itself names. */
  private serviceOf(record: ParsedRecord): string | undefined {
    const { shape } = record;
    let at = this.serviceAt.get(shape);
    if (at === undefined && !this.serviceAt.has(shape)) {
      const hole = shape.holes.findIndex(({ name }) => name === 'service');
      const shadow = shape.shadows.indexOf('service');
      at = hole >= 0 ? ['values', hole] : shadow >= 0 ? ['shadows', shadow] : undefined;
      this.serviceAt.set(shape, at);
    }
    return (at && record[at[0]][at[1]]) || undefined;
  }
}

const encoder = new TextEncoder();
const MAX_SERVICES = 4096;

/** Names of services by their bytes, so that a name is made into a text once. */
class Services {
  private known = new Map<number, { bytes: Uint8Array; text: string }>();

  at(bytes: Uint8Array, from: number, to: number): string {
    let hash = 0x811c9dc5;
    for (let at = from; at < to; at++) hash = Math.imul(hash ^ bytes[at]!, 0x01000193);
    const found = this.known.get(hash);
    if (found && isAt(found.bytes, bytes, from, to)) return found.text;
    const text = decodeUtf8(bytes.subarray(from, to));
    if (this.known.size >= MAX_SERVICES) this.known = new Map();
    this.known.set(hash, { bytes: bytes.slice(from, to), text });
    return text;
  }
}

function isAt(wanted: Uint8Array, bytes: Uint8Array, from: number, to: number): boolean {
  if (to - from !== wanted.length) return false;
  for (let index = 0; index < wanted.length; index++) if (wanted[index] !== bytes[from + index]) return false;
  return true;
}
