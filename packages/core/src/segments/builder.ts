import { ByteWriter, encodeUint16 } from '../codec/bytes.js';
import type { Codec } from '../codec/codec.js';
import type { Layout } from '../patterns/layout.js';
import { LEVELS } from '../records/levels.js';
import { isStored, type Shape } from '../records/shape.js';
import { sealBlock } from './block.js';
import { holdsAnything, holdsIdentifiers } from '../patterns/scanner.js';
import {
  BytesColumn,
  encodeColumn,
  noteTrigrams,
  withoutServices,
  writeColumn,
  writeIntegers,
} from './bytes-column.js';
import { MinuteCounts } from './minutes.js';
import { encodeIdentifiers, type Identifiers, IdentifiersBuilder } from './identifiers.js';
import { encodeTrigrams, Trigrams } from './trigrams.js';
import {
  COLUMN,
  fieldColumn,
  SEGMENT_RECORDS,
  SEGMENT_VERSION,
  type SegmentSummary,
  slotColumn,
} from './segment.js';

/** A record as it goes into a segment, for those that are put together from others. */
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

/** Columns that are kept for the next segment, at most. */
const MAX_SPARE = 3000;

/** Codes for values in the order in which they first appear. */
class Codes<T> {
  readonly values: T[] = [];
  private readonly codes = new Map<T, number>();
  private last: T | undefined;
  private lastCode = -1;

  of(value: T): number {
    if (value === this.last && this.lastCode >= 0) return this.lastCode;
    let code = this.codes.get(value);
    if (code === undefined) {
      code = this.values.length;
      this.values.push(value);
      this.codes.set(value, code);
    }
    this.last = value;
    this.lastCode = code;
    return code;
  }
}

/** Where the values of a shape's records go: a column for each hole, undefined for those rebuilt from time or text, and one for each shadow. */
export interface ShapeColumns {
  holes: (BytesColumn | undefined)[];
  shadows: BytesColumn[];
}

interface OwnShape extends ShapeColumns {
  code: number;
}

interface OwnLayout {
  code: number;
  slots: BytesColumn[];
}

/**
 * Gathers records into the columns of one segment. A row is begun with `add`; then its values are appended
 * to the columns of its shape and layout. Values are bytes all the way, so that millions of records leave
 * nothing for the garbage collector.
 */
export class SegmentBuilder {
  count = 0;
  private readonly times = new Float64Array(SEGMENT_RECORDS);
  private readonly seqs = new Float64Array(SEGMENT_RECORDS);
  private readonly levels = new Uint8Array(SEGMENT_RECORDS);
  private readonly contextCodes = new Uint16Array(SEGMENT_RECORDS);
  private readonly shapeCodes = new Uint16Array(SEGMENT_RECORDS);
  private readonly serviceCodes = new Uint16Array(SEGMENT_RECORDS);
  private readonly layoutCodes = new Uint16Array(SEGMENT_RECORDS);
  private contexts = new Codes<number>();
  private services = new Codes<string>();
  private shapes = new Map<number, OwnShape>();
  private lastShape: Shape | undefined;
  private lastOwn: OwnShape | undefined;
  private layouts: (OwnLayout | undefined)[] = [];
  private layoutIds: number[] = [];
  private slots: BytesColumn[][] = [];
  private slotTypes: string[] = [];
  private fields = new Map<string, BytesColumn>();
  private exact: [row: number, bytes: Uint8Array][] = [];
  private rawBytes = 0;
  private sorted = true;
  /** Columns of the segment before, whose room is used again. */
  private spareFields = new Map<string, BytesColumn>();
  private spareLayouts: (OwnLayout | undefined)[] = [];

  get full(): boolean {
    return this.count === SEGMENT_RECORDS;
  }

  /** Begins a row. The values of its shape and slots are to be appended before the next one. */
  add(
    micros: number,
    seq: number,
    level: number,
    service: string,
    context: number,
    shape: Shape,
    layout: Layout,
    size: number,
  ): void {
    const row = this.count++;
    if (row > 0) {
      const before = this.times[row - 1]!;
      if (micros < before || (micros === before && seq < this.seqs[row - 1]!)) this.sorted = false;
    }
    this.times[row] = micros;
    this.seqs[row] = seq;
    this.levels[row] = level;
    this.serviceCodes[row] = this.services.of(service);
    this.contextCodes[row] = this.contexts.of(context);
    this.shapeCodes[row] = this.ownShape(shape).code;
    this.layoutCodes[row] = this.ownLayout(layout).code;
    this.rawBytes += size;
  }

  /** Columns for the values of a shape. */
  columnsOf(shape: Shape): ShapeColumns {
    return this.ownShape(shape);
  }

  /** Columns for the slots of a layout. */
  slotsOf(layout: Layout): readonly BytesColumn[] {
    return this.ownLayout(layout).slots;
  }

  /** Keeps the bytes of the row begun last, where its parts do not give them back. */
  keepExact(bytes: Uint8Array): void {
    this.exact.push([this.count - 1, bytes]);
  }

  /** Makes a segment of what was gathered, records in the order of time, those of one time in order of arrival; then begins anew. */
  seal(codec: Codec): BuiltSegment {
    const { count } = this;
    const order = this.sorted ? undefined : this.order();
    const times = arranged(this.times, count, order);
    const seqs = arranged(this.seqs, count, order);
    const levels = arranged(this.levels, count, order);
    const services = arranged(this.serviceCodes, count, order);
    const layouts = arranged(this.layoutCodes, count, order);
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
    seal(COLUMN.context, narrow(arranged(this.contextCodes, count, order), this.contexts.values.length));
    seal(COLUMN.shape, narrow(arranged(this.shapeCodes, count, order), this.shapes.size));
    const serviceColumn = narrow(services, this.services.values.length);
    seal(COLUMN.service, serviceColumn);
    seal(COLUMN.layout, narrow(layouts, this.layoutIds.length));
    seal(COLUMN.minutes, minutesOf(times, services, levels));
    const filters: Filters = { trigrams: new Map(), identifiers: new Map() };
    for (const [name, column] of this.fields) {
      const encoded = encodeColumn(column, this.entryOrder(column, order));
      // With two bytes a code, it is not worth looking.
      const shared = serviceColumn.length === count ? withoutServices(encoded, serviceColumn) : encoded;
      seal(fieldColumn(name), shared);
      const trigrams = new Trigrams();
      noteTrigrams(trigrams, column, encoded);
      filters.trigrams.set(fieldColumn(name), trigrams);
      const identifiers = new IdentifiersBuilder();
      if (identifiers.addIdentifiers(encoded))
        filters.identifiers.set(fieldColumn(name), identifiers.build());
    }
    const slotChunks = sealSlots(this.slots, this.slotTypes, this.rankOrders(order), seal, filters);
    seal(COLUMN.trigrams, encodeTrigrams(filters.trigrams));
    seal(COLUMN.identifiers, encodeIdentifiers(filters.identifiers));
    if (this.exact.length > 0) seal(COLUMN.exact, exactBytes(this.exact, order));
    const summary: SegmentSummary = {
      version: SEGMENT_VERSION,
      count,
      from: times[0]!,
      to: times[count - 1]!,
      firstSeq: least(seqs),
      lastSeq: most(seqs),
      rawBytes: this.rawBytes,
      contexts: this.contexts.values,
      contextCounts: tally(this.contextCodes, count, this.contexts.values.length),
      shapes: [...this.shapes.keys()],
      services: this.services.values,
      ...countsOf(times, levels, services, layouts, this.layoutIds.length),
      layouts: this.layoutIds,
      fields: [...this.fields.keys()],
      slotChunks,
      columns: checksums,
    };
    this.clear();
    return { summary, columns };
  }

  private clear(): void {
    for (const column of this.fields.values()) column.clear();
    for (const columns of this.slots) for (const column of columns) column.clear();
    // What hardly comes again would only hold memory.
    this.spareFields = this.fields.size > MAX_SPARE ? new Map<string, BytesColumn>() : this.fields;
    this.spareLayouts = this.slots.length > MAX_SPARE ? [] : this.layouts;
    this.count = 0;
    this.contexts = new Codes();
    this.services = new Codes();
    this.shapes = new Map();
    this.lastShape = this.lastOwn = undefined;
    this.layouts = [];
    this.layoutIds = [];
    this.slots = [];
    this.slotTypes = [];
    this.fields = new Map();
    this.exact = [];
    this.rawBytes = 0;
    this.sorted = true;
  }

  private ownShape(shape: Shape): OwnShape {
    if (shape === this.lastShape) return this.lastOwn!;
    let own = this.shapes.get(shape.id);
    if (!own) {
      own = {
        code: this.shapes.size,
        holes: shape.holes.map((hole) => (isStored(hole) ? this.field(hole.name) : undefined)),
        shadows: shape.shadows.map((name) => this.field(name)),
      };
      this.shapes.set(shape.id, own);
    }
    this.lastShape = shape;
    this.lastOwn = own;
    return own;
  }

  private ownLayout(layout: Layout): OwnLayout {
    let own = this.layouts[layout.id];
    if (!own) {
      const slots = this.spareLayouts[layout.id]?.slots ?? Array.from(layout.types, () => new BytesColumn());
      own = { code: this.layoutIds.length, slots };
      this.layouts[layout.id] = own;
      this.layoutIds.push(layout.id);
      this.slots.push(own.slots);
      this.slotTypes.push(layout.types);
    }
    return own;
  }

  private field(name: string): BytesColumn {
    let column = this.fields.get(name);
    if (!column) this.fields.set(name, (column = this.spareFields.get(name) ?? new BytesColumn()));
    return column;
  }

  /** Rows in the order of time, then of arrival. */
  private order(): Uint32Array {
    const { times, seqs } = this;
    const order = Uint32Array.from({ length: this.count }, (_, row) => row);
    return order.sort((a, b) => times[a]! - times[b]! || seqs[a]! - seqs[b]!);
  }

  /** In which order a field's values stand when the rows are put in order. */
  private entryOrder(column: BytesColumn, order: Uint32Array | undefined): Uint32Array | undefined {
    if (!order) return undefined;
    const has = [...this.shapes.values()].map(
      ({ holes, shadows }) => holes.includes(column) || shadows.includes(column),
    );
    const entry = new Int32Array(this.count).fill(-1);
    for (let row = 0, next = 0; row < this.count; row++) if (has[this.shapeCodes[row]!]) entry[row] = next++;
    const entries = new Uint32Array(column.count);
    let at = 0;
    for (const row of order) if (entry[row]! >= 0) entries[at++] = entry[row]!;
    return entries;
  }

  /** For each layout, in which order its records' values stand when the rows are put in order. */
  private rankOrders(order: Uint32Array | undefined): (Uint32Array | undefined)[] {
    if (!order) return this.slots.map(() => undefined);
    const next = new Uint32Array(this.slots.length);
    const ranks = new Uint32Array(this.count);
    for (let row = 0; row < this.count; row++) ranks[row] = next[this.layoutCodes[row]!]!++;
    const orders = Array.from(next, (count) => new Uint32Array(count));
    next.fill(0);
    for (const row of order) {
      const layout = this.layoutCodes[row]!;
      orders[layout]![next[layout]!++] = ranks[row]!;
    }
    return orders;
  }
}

/** Turns records into the columns of one segment. */
export function buildSegment(records: readonly SegmentRecord[], codec: Codec): BuiltSegment {
  const builder = new SegmentBuilder();
  for (const record of records) {
    builder.add(
      record.micros,
      record.seq,
      record.level,
      record.service,
      record.context,
      record.shape,
      record.layout,
      record.size,
    );
    appendValues(builder, record);
    builder.slotsOf(record.layout).forEach((column, slot) => column.appendText(record.slots[slot]!));
    if (record.exact) builder.keepExact(record.exact);
  }
  return builder.seal(codec);
}

/** Appends the values of a record's shape to their columns. */
export function appendValues(
  builder: SegmentBuilder,
  { shape, values, shadows }: Pick<SegmentRecord, 'shape' | 'values' | 'shadows'>,
): void {
  const columns = builder.columnsOf(shape);
  for (let hole = 0; hole < columns.holes.length; hole++) columns.holes[hole]?.appendText(values[hole]!);
  for (let shadow = 0; shadow < columns.shadows.length; shadow++)
    columns.shadows[shadow]!.appendText(shadows[shadow]!);
}

function arranged<T extends Float64Array | Uint16Array | Uint8Array>(
  all: T,
  count: number,
  order: Uint32Array | undefined,
): T {
  const result = all.slice(0, count) as T;
  if (order) for (let at = 0; at < count; at++) result[at] = all[order[at]!]!;
  return result;
}

function tally(codes: Uint16Array, count: number, distinct: number): number[] {
  const counts = new Array<number>(distinct).fill(0);
  for (let row = 0; row < count; row++) counts[codes[row]!]!++;
  return counts;
}

function least(numbers: Float64Array): number {
  let found = Infinity;
  for (const number of numbers) if (number < found) found = number;
  return found;
}

function most(numbers: Float64Array): number {
  let found = -Infinity;
  for (const number of numbers) if (number > found) found = number;
  return found;
}

type Counts = Pick<
  SegmentSummary,
  'levels' | 'layoutCounts' | 'layoutFirst' | 'layoutLast' | 'layoutLastRow' | 'cells'
>;

/** What the summary counts: records by level, and by layout with service and level. */
function countsOf(
  times: Float64Array,
  levels: Uint8Array,
  services: Uint16Array,
  layouts: Uint16Array,
  distinct: number,
): Counts {
  const levelCounts = LEVELS.map(() => 0);
  const layoutCounts = new Array<number>(distinct).fill(0);
  const layoutFirst = new Array<number>(distinct).fill(0);
  const layoutLast = new Array<number>(distinct).fill(0);
  const layoutLastRow = new Array<number>(distinct).fill(0);
  const cells = new Map<number, number>();
  for (let row = 0; row < times.length; row++) {
    const layout = layouts[row]!;
    const level = levels[row]!;
    levelCounts[level]!++;
    if (layoutCounts[layout]!++ === 0) layoutFirst[layout] = times[row]!;
    layoutLast[layout] = times[row]!;
    layoutLastRow[layout] = row;
    const cell = (layout * MAX_CELL_SERVICES + services[row]!) * LEVELS.length + level;
    cells.set(cell, (cells.get(cell) ?? 0) + 1);
  }
  return {
    levels: levelCounts,
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
  };
}

function minutesOf(times: Float64Array, services: Uint16Array, levels: Uint8Array): Uint8Array {
  const minutes = new MinuteCounts();
  for (let row = 0; row < times.length; row++) minutes.add(times[row]!, services[row]!, levels[row]!);
  return minutes.encode();
}

function integers(numbers: Float64Array): Uint8Array {
  const out = new ByteWriter();
  writeIntegers(out, numbers);
  return out.finish();
}

/** Codes as one byte each while there are few of them. */
function narrow(codes: Uint16Array, distinct: number): Uint8Array {
  if (distinct <= 256) return Uint8Array.from(codes);
  return encodeUint16(codes);
}

/** What tells, by column, that it need not be unpacked. */
interface Filters {
  trigrams: Map<string, Trigrams>;
  identifiers: Map<string, Identifiers>;
}

/** Writes slot values in chunks; returns the first layout of each chunk. */
function sealSlots(
  slots: readonly (readonly BytesColumn[])[],
  types: readonly string[],
  orders: readonly (Uint32Array | undefined)[],
  seal: (name: string, raw: Uint8Array) => void,
  filters: Filters,
): number[] {
  const starts: number[] = [];
  const one = new ByteWriter();
  let out = new ByteWriter();
  let trigrams = new Trigrams();
  let identifiers = new IdentifiersBuilder();
  const flush = (): void => {
    const name = slotColumn(starts.length - 1);
    seal(name, out.finish());
    filters.trigrams.set(name, trigrams);
    filters.identifiers.set(name, identifiers.build());
    out = new ByteWriter();
    trigrams = new Trigrams();
    identifiers = new IdentifiersBuilder();
  };
  slots.forEach((columns, layout) => {
    if (starts.length === 0) starts.push(layout);
    else if (out.length > CHUNK_BYTES) {
      flush();
      starts.push(layout);
    }
    for (const [slot, column] of columns.entries()) {
      one.clear();
      writeColumn(one, column, orders[layout]);
      // The type of other slots tells what characters they can hold.
      const type = types[layout]![slot]!;
      if (holdsAnything(type)) noteTrigrams(trigrams, column, one.written());
      else if (holdsIdentifiers(type) && !identifiers.addIdentifiers(one.written()))
        identifiers.addOthers(column);
      out.varint(one.length);
      out.append(one.written());
    }
  });
  if (starts.length > 0) flush();
  return starts;
}

function exactBytes(
  exact: readonly [row: number, bytes: Uint8Array][],
  order: Uint32Array | undefined,
): Uint8Array {
  const places = order && new Uint32Array(order.length);
  if (places) for (let at = 0; at < places.length; at++) places[order[at]!] = at;
  const out = new ByteWriter();
  out.varint(exact.length);
  for (const [row, bytes] of exact) {
    out.varint(places ? places[row]! : row);
    out.varint(bytes.length);
    out.append(bytes);
  }
  return out.finish();
}
