import { ByteReader, decodeUint16, encodeUtf8 } from '../codec/bytes.js';
import type { Codec } from '../codec/codec.js';
import { type Layout, rebuildText } from '../patterns/layout.js';
import { type Quantity, quantityReader } from '../records/quantity.js';
import { isStored, rebuildLine, type Shape } from '../records/shape.js';
import { BrokenBlockError, openBlock } from './block.js';
import { decodeIdentifiers, type Identifiers } from './identifiers.js';
import { decodeMinutes, type MinuteCell } from './minutes.js';
import {
  COLUMN,
  type Context,
  fieldColumn,
  SEGMENT_RECORDS,
  SEGMENT_VERSION,
  type SegmentSummary,
  slotColumn,
} from './segment.js';
import {
  PACKED,
  packedBytes,
  type PackedField,
  packedFields,
  unpackedColumn,
  unpackFields,
} from './packed.js';
import { decodeTrigrams, type Trigrams } from './trigrams.js';
import { decodeValues, needsServices, readIntegers, type ValueColumn } from './value-column.js';

/** The tables that a data set's segments refer to by id. */
export interface Catalog {
  shape(id: number): Shape;
  layout(id: number): Layout;
  context(id: number): Context;
}

/** Where decoded columns are kept between queries. */
export interface ColumnCache {
  get(key: string): unknown;
  set(key: string, value: unknown, bytes: number): void;
}

/** Values of one field: `rows[row]` is the index into the column, or -1 where the record lacks the field. */
export interface FieldValues {
  rows: Int32Array;
  column: ValueColumn;
}

/** A code for the value of each row, -1 where it has none, and the value of each code. */
export interface RowCodes {
  codes: Int32Array | Uint16Array | Uint8Array;
  values: readonly string[];
}

/** Numbers by row; NaN where there is none. */
export interface FieldNumbers {
  values: Float64Array;
  dimension: Quantity['dimension'] | undefined;
}

type Codes = Uint8Array | Uint16Array;

const NOTHING_PACKED: ReadonlyMap<string, PackedField> = new Map();

/** Reads a segment column by column; each is fetched, checked and decoded when first asked for. */
export class SegmentView {
  constructor(
    readonly key: string,
    readonly summary: SegmentSummary,
    readonly catalog: Catalog,
    private readonly fetch: (column: string) => Promise<Uint8Array>,
    private readonly codec: Codec,
    private readonly cache: ColumnCache,
  ) {
    if (summary.version < 1 || summary.version > SEGMENT_VERSION) {
      throw new Error(
        `This store holds segments of version ${summary.version}; this program reads versions up to ${SEGMENT_VERSION}.`,
      );
    }
  }

  get count(): number {
    return this.summary.count;
  }

  times(): Promise<Float64Array> {
    return this.integers(COLUMN.time);
  }

  seqs(): Promise<Float64Array> {
    return this.integers(COLUMN.seq);
  }

  levels(): Promise<Codes> {
    return this.codes(COLUMN.level, 1);
  }

  layouts(): Promise<Codes> {
    return this.codes(COLUMN.layout, this.summary.layouts.length);
  }

  services(): Promise<Codes> {
    return this.codes(COLUMN.service, this.summary.services.length);
  }

  contexts(): Promise<Codes> {
    return this.codes(COLUMN.context, this.summary.contexts.length);
  }

  shapes(): Promise<Codes> {
    return this.codes(COLUMN.shape, this.summary.shapes.length);
  }

  /** Records by minute, service and level; undefined in segments written before there were such counts. */
  async minutes(): Promise<MinuteCell[] | undefined> {
    if (!(COLUMN.minutes in this.summary.columns)) return undefined;
    return this.cached('minutes', async () => {
      const cells = decodeMinutes(await this.block(COLUMN.minutes));
      return [cells, cells.length * 40];
    });
  }

  /** What sequences of characters the values of each column hold, by the column's name; undefined in segments written before there were such filters. */
  async trigrams(): Promise<ReadonlyMap<string, Trigrams> | undefined> {
    if (!(COLUMN.trigrams in this.summary.columns)) return undefined;
    return this.cached('trigrams', async () => {
      const filters = decodeTrigrams((await this.block(COLUMN.trigrams)).slice());
      return [filters, filters.size * 4200];
    });
  }

  /** What identifiers columns hold, by the column's name; undefined in segments written before there were such filters. */
  async identifiers(): Promise<ReadonlyMap<string, Identifiers> | undefined> {
    if (!(COLUMN.identifiers in this.summary.columns)) return undefined;
    return this.cached('identifiers', async () => {
      const bytes = (await this.block(COLUMN.identifiers)).slice();
      return [decodeIdentifiers(bytes), bytes.length + 1000];
    });
  }

  /** The chunk of slot values that a layout's are in. */
  chunkOf(layoutCode: number): number {
    const { slotChunks } = this.summary;
    let chunk = slotChunks.length - 1;
    while (slotChunks[chunk]! > layoutCode) chunk--;
    return chunk;
  }

  /** The layout behind a local code. */
  layout(code: number): Layout {
    return this.catalog.layout(this.summary.layouts[code]!);
  }

  /** False when the filters of a field tell that no value of it holds a phrase (in lower case). */
  async fieldMayHold(name: string, phrase: string): Promise<boolean> {
    // There are no filters for what is packed.
    if (this.hasPacked) return true;
    if (!this.summary.fields.includes(name)) return false;
    const column = fieldColumn(name);
    if ((await this.trigrams())?.get(column)?.mayHoldPhrase(encodeUtf8(phrase)) === false) return false;
    return (await this.identifiers())?.get(column)?.mayHold(phrase) ?? true;
  }

  /** Fields that have a column of their own. */
  get ownFields(): readonly string[] {
    return this.hasPacked ? this.summary.fields.filter((name) => name !== PACKED) : this.summary.fields;
  }

  /** Fields that have none, by name. */
  async packed(): Promise<ReadonlyMap<string, PackedField>> {
    if (!this.hasPacked) return NOTHING_PACKED;
    return this.cached('packed', async () => {
      const { rows, column } = (await this.columnOf(PACKED))!;
      const fields = packedFields(rows, column);
      return [fields, packedBytes(fields)];
    });
  }

  private get hasPacked(): boolean {
    return this.summary.fields.includes(PACKED);
  }

  /** Values of a field read from the lines, or undefined when no record has it. */
  async field(name: string): Promise<FieldValues | undefined> {
    const own = await this.columnOf(name);
    const packed = (await this.packed()).get(name);
    if (!packed) return own;
    return this.cached(`unpacked:${name}`, () => {
      const all = unpackedColumn(this.count, packed, own);
      return Promise.resolve([all, all.rows.byteLength + all.column.bytes]);
    });
  }

  /** Values of a field that has a column. */
  async columnOf(name: string): Promise<FieldValues | undefined> {
    if (!this.summary.fields.includes(name)) return undefined;
    const column = await this.cached(fieldColumn(name), async () => {
      const bytes = await this.block(fieldColumn(name));
      const decoded = decodeValues(bytes, needsServices(bytes) ? await this.services() : undefined);
      return [decoded, decoded.bytes];
    });
    return { rows: await this.fieldRows(name), column };
  }

  /** Index of each row into a field's column, -1 where it has none; fields of the same shapes share one. */
  private async fieldRows(name: string): Promise<Int32Array> {
    const has = this.summary.shapes.map((id) => hasField(this.catalog.shape(id), name));
    if (has.every((one) => one)) return everyRow(this.count);
    return this.cached(`rows:${has.map(Number).join('')}`, async () => {
      const shapes = await this.shapes();
      const rows = new Int32Array(this.count);
      let next = 0;
      for (let row = 0; row < rows.length; row++) rows[row] = has[shapes[row]!] ? next++ : -1;
      return [rows, rows.byteLength];
    });
  }

  /** The numbers of a field by row, in base units, NaN where it has none; with what they measure. */
  async fieldNumbers(name: string): Promise<FieldNumbers | undefined> {
    const field = await this.field(name);
    if (!field) return undefined;
    // From scaled numbers they are worked out faster than they would be kept.
    if (field.column.scaled) return numbersOf(field, quantityReader(name));
    return this.cached(`numbers:${name}`, () => {
      const numbers = numbersOf(field, quantityReader(name));
      return Promise.resolve([numbers, numbers.values.byteLength]);
    });
  }

  /** A code for the value of each row of a field, -1 where the record lacks it, and the value of each code; undefined when no record has it. */
  async fieldCodes(name: string): Promise<RowCodes | undefined> {
    const field = await this.field(name);
    if (!field) return undefined;
    const { dictionary } = field.column;
    // Where every row has a value, its code in the dictionary is the row's.
    if (dictionary && field.column.length === this.count) return dictionary;
    return this.cached(`codes:${name}`, () => {
      const { rows, column } = field;
      const codes = new Int32Array(rows.length).fill(-1);
      let values: readonly string[];
      if (dictionary) {
        ({ values } = dictionary);
        for (let row = 0; row < rows.length; row++)
          if (rows[row]! >= 0) codes[row] = dictionary.codes[rows[row]!]!;
      } else {
        // Numbers are told apart as such, so that only the different ones are written out.
        const numbers = column.scaled?.numbers;
        const known = new Map<string | number, number>();
        const met: string[] = [];
        for (let row = 0; row < rows.length; row++) {
          const at = rows[row]!;
          if (at < 0) continue;
          const value = numbers ? numbers[at]! : column.get(at);
          let code = known.get(value);
          if (code === undefined) {
            known.set(value, (code = met.length));
            met.push(column.get(at));
          }
          codes[row] = code;
        }
        values = met;
      }
      return Promise.resolve([{ codes, values }, codes.byteLength + values.length * 60]);
    });
  }

  /** Values of every slot of a layout, in the order of its records. */
  async slots(layoutCode: number): Promise<ValueColumn[]> {
    const { slotChunks, layouts } = this.summary;
    const chunk = this.chunkOf(layoutCode);
    const columns = await this.cached<ValueColumn[][]>(`slots:${chunk}`, async () => {
      const input = new ByteReader(await this.block(slotColumn(chunk)));
      const decoded: ValueColumn[][] = [];
      let bytes = 0;
      for (let code = slotChunks[chunk]!; code < (slotChunks[chunk + 1] ?? layouts.length); code++) {
        const slots = Array.from(this.layout(code).types, () => decodeValues(input.take(input.varint())));
        for (const slot of slots) bytes += slot.bytes;
        decoded.push(slots);
      }
      return [decoded, bytes];
    });
    return columns[layoutCode - slotChunks[chunk]!]!;
  }

  /** For each row, how many earlier rows have its layout: the index into that layout's slot columns. */
  ranks(): Promise<Uint32Array> {
    return this.cached('ranks', async () => {
      const layouts = await this.layouts();
      const next = new Uint32Array(this.summary.layouts.length);
      const ranks = new Uint32Array(this.count);
      for (let row = 0; row < ranks.length; row++) ranks[row] = next[layouts[row]!]!++;
      return [ranks, ranks.byteLength];
    });
  }

  /** Slot values of a row. */
  async slotValues(row: number): Promise<string[]> {
    const columns = await this.slots((await this.layouts())[row]!);
    const rank = (await this.ranks())[row]!;
    return columns.map((column) => column.get(rank));
  }

  /** The text of a row. */
  async text(row: number): Promise<string> {
    return rebuildText(this.layout((await this.layouts())[row]!), await this.slotValues(row));
  }

  /** The line of a row as it was received. */
  async line(row: number): Promise<Uint8Array> {
    const exact = (await this.exact()).get(row);
    if (exact) return exact;
    const shape = this.catalog.shape(this.summary.shapes[(await this.shapes())[row]!]!);
    const values = await this.holeValues(shape, row);
    return encodeUtf8(
      rebuildLine(shape, (await this.times())[row]!, await this.text(row), (hole) => values[hole]!),
    );
  }

  /** All values of a row's shape by field name, those of its sender included. */
  async fields(row: number): Promise<[name: string, value: string][]> {
    const shape = this.catalog.shape(this.summary.shapes[(await this.shapes())[row]!]!);
    const found = new Map<string, string>();
    const context = this.catalog.context(this.summary.contexts[(await this.contexts())[row]!]!);
    for (const [name, value] of Object.entries(context.attributes)) found.set(name, value);
    for (const name of [...shape.holes.map((hole) => hole.name), ...shape.shadows]) {
      const values = await this.columnOf(name);
      const index = values?.rows[row] ?? -1;
      if (!values || index < 0) continue;
      if (name !== PACKED) found.set(name, values.column.get(index));
      else for (const [own, value] of unpackFields(values.column.get(index))) found.set(own, value);
    }
    return [...found];
  }

  /** Values of a shape's holes at a row, empty where time or text stands. */
  private async holeValues(shape: Shape, row: number): Promise<string[]> {
    const values: string[] = [];
    for (const hole of shape.holes) {
      const stored = isStored(hole) ? await this.columnOf(hole.name) : undefined;
      values.push(stored ? stored.column.get(stored.rows[row]!) : '');
    }
    return values;
  }

  /** Lines that their parts do not give back, by row. */
  exact(): Promise<Map<number, Uint8Array>> {
    if (!(COLUMN.exact in this.summary.columns)) return Promise.resolve(new Map<number, Uint8Array>());
    return this.cached('exact', async () => {
      const input = new ByteReader(await this.block(COLUMN.exact));
      const lines = new Map<number, Uint8Array>();
      let bytes = 0;
      for (let left = input.varint(); left > 0; left--) {
        const row = input.varint();
        const line = input.take(input.varint());
        lines.set(row, line);
        bytes += line.length + 40;
      }
      return [lines, bytes];
    });
  }

  /** Keeps something derived from this segment in the cache. */
  async cached<T>(name: string, make: () => Promise<[value: T, bytes: number]>): Promise<T> {
    const key = `${this.key}/${name}`;
    const known = this.cache.get(key);
    if (known !== undefined) return known as T;
    const [value, bytes] = await make();
    this.cache.set(key, value, bytes);
    return value;
  }

  private integers(column: string): Promise<Float64Array> {
    return this.cached(column, async () => {
      const numbers = readIntegers(new ByteReader(await this.block(column)), this.count);
      return [numbers, numbers.byteLength];
    });
  }

  private codes(column: string, distinct: number): Promise<Codes> {
    return this.cached(column, async () => {
      const raw = await this.block(column);
      const codes = distinct <= 256 ? raw.slice() : decodeUint16(raw);
      if (codes.length !== this.count) throw new BrokenBlockError(column, this.key);
      return [codes, codes.byteLength];
    });
  }

  private async block(column: string): Promise<Uint8Array> {
    try {
      return openBlock(await this.fetch(column), this.summary.columns[column]!, column, this.codec);
    } catch (error) {
      throw error instanceof BrokenBlockError ? new BrokenBlockError(column, this.key) : error;
    }
  }
}

let allRows = Int32Array.from({ length: SEGMENT_RECORDS }, (_, row) => row);

/** The rows of a segment, in order. */
function everyRow(count: number): Int32Array {
  if (count > allRows.length) allRows = Int32Array.from({ length: count }, (_, row) => row);
  return allRows.subarray(0, count);
}

/** True when the records of a shape have a value of this name in a column. */
const hasField = (shape: Shape, name: string): boolean =>
  shape.holes.some((hole) => hole.name === name && isStored(hole)) || shape.shadows.includes(name);

/** Values as numbers in base units. */
function numbersOf(
  { rows, column }: FieldValues,
  read: (text: string) => Quantity | undefined,
): FieldNumbers {
  const values = new Float64Array(rows.length).fill(NaN);
  let dimension: FieldNumbers['dimension'];
  const { scaled, dictionary } = column;
  if (scaled?.prefix === '') {
    // All have one unit: one of them tells by what they are multiplied.
    const one = read(`1${scaled.suffix}`);
    if (!one) return { values, dimension };
    const scale = 10 ** scaled.decimals;
    for (let row = 0; row < rows.length; row++)
      if (rows[row]! >= 0) values[row] = (scaled.numbers[rows[row]!]! / scale) * one.value;
    return { values, dimension: one.dimension };
  }
  const known = dictionary?.values.map(read);
  for (let row = 0; row < rows.length; row++) {
    const at = rows[row]!;
    if (at < 0) continue;
    const quantity = known ? known[dictionary!.codes[at]!] : read(column.get(at));
    if (!quantity) continue;
    dimension ??= quantity.dimension;
    values[row] = quantity.value;
  }
  return { values, dimension };
}
