import type { Codec } from '../codec/codec.js';
import { type Layout, LayoutBook } from '../patterns/layout.js';
import { type FormatName, type Shape, ShapeBook } from '../records/shape.js';
import { type BuiltSegment, buildSegment, type SegmentRecord } from '../segments/builder.js';
import { SEGMENT_RECORDS } from '../segments/segment.js';
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
}

export interface BatchResult {
  accepted: number;
  malformed: number;
  format: FormatName;
  /** Time of the first and the last record, microseconds since 1970; absent when there was none. */
  span?: { from: number; to: number };
  problems: Problem[];
}

/** A segment ready to be stored, with all that has to be stored beside it. */
export interface Sealed extends BuiltSegment {
  shapes: Shape[];
  layouts: Layout[];
  /** Records of each batch in this segment. */
  batches: Map<number, number>;
}

interface Batch {
  start: BatchStart;
  parser: LogParser;
  records: number;
  from: number;
  to: number;
}

/**
 * Takes in batches of lines, several at a time, and seals them into segments. State that outlives a
 * segment are the books of shapes and layouts and the count of records.
 */
export class Ingest {
  private readonly shapes: ShapeBook;
  private readonly layouts: LayoutBook;
  private readonly batches = new Map<number, Batch>();
  private pending: { batch: number; record: SegmentRecord }[] = [];
  private savedShapes: number;
  private savedLayouts: number;
  private readonly serviceAt = new Map<Shape, [values: 'values' | 'shadows', index: number] | undefined>();

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
    return this.pending.length;
  }

  open(start: BatchStart): void {
    const batch: Batch = {
      start,
      records: 0,
      from: Infinity,
      to: -Infinity,
      parser: new LogParser(this.shapes, start.format, start.arrival, (record) => this.take(batch, record)),
    };
    this.batches.set(start.id, batch);
  }

  push(batch: number, chunk: Uint8Array): void {
    this.batches.get(batch)?.parser.push(chunk);
  }

  /** Ends a batch; what it left unfinished becomes records. */
  close(id: number): BatchResult {
    const batch = this.batches.get(id);
    if (!batch) throw new Error(`There is no batch ${id}.`);
    batch.parser.end();
    this.batches.delete(id);
    const { malformed, problems, format } = batch.parser;
    return {
      accepted: batch.records,
      malformed,
      format: format ?? 'plain',
      ...(batch.records > 0 && { span: { from: batch.from, to: batch.to } }),
      problems: [...problems.values()],
    };
  }

  /** Takes the records waiting, at most a full segment, and makes a segment of them. */
  seal(): Sealed | undefined {
    if (this.pending.length === 0) return undefined;
    const taken = this.pending.splice(0, SEGMENT_RECORDS);
    const batches = new Map<number, number>();
    for (const { batch } of taken) batches.set(batch, (batches.get(batch) ?? 0) + 1);
    const segment = buildSegment(
      taken.map(({ record }) => record),
      this.codec,
    );
    const shapes = this.shapes.shapes.slice(this.savedShapes);
    const layouts = this.layouts.layouts.slice(this.savedLayouts);
    this.savedShapes += shapes.length;
    this.savedLayouts += layouts.length;
    return { ...segment, shapes, layouts, batches };
  }

  private take(batch: Batch, record: ParsedRecord): void {
    batch.records++;
    batch.from = Math.min(batch.from, record.micros);
    batch.to = Math.max(batch.to, record.micros);
    if (batch.records <= batch.start.skip) return;
    const { layout, values: slots } = this.layouts.partsOf(record.text, record.shape.format === 'access');
    this.pending.push({
      batch: batch.start.id,
      record: {
        seq: this.nextSeq++,
        micros: record.micros,
        level: record.level,
        service: this.serviceOf(record) ?? batch.start.service,
        context: batch.start.context,
        shape: record.shape,
        values: record.values,
        shadows: record.shadows,
        layout,
        slots,
        size: record.size,
        ...(record.raw && { exact: record.raw }),
      },
    });
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
