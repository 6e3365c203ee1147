import { columnOf, encodeColumn } from './bytes-column.js';
import { decodeValues, type ValueColumn } from './value-column.js';

/**
 * The column in which fields stand together that are too many to have a column each: a sender that invents names
 * would else fill the store with columns. They can be queried like others, only not as quickly.
 */
export const PACKED = '@packed';

/** The fields of one record as one value. */
export function packFields(names: readonly string[], values: readonly string[]): string {
  return JSON.stringify(names.flatMap((name, at) => [name, values[at]!]));
}

/** The fields that `packFields` put together. */
export function unpackFields(packed: string): [name: string, value: string][] {
  const flat = JSON.parse(packed) as string[];
  const fields: [string, string][] = [];
  for (let at = 0; at + 1 < flat.length; at += 2) fields.push([flat[at]!, flat[at + 1]!]);
  return fields;
}

/** Rows that have a field, in order, and its value in each. */
export interface PackedField {
  rows: number[];
  values: string[];
}

/** The fields of a segment that are packed, by name. */
export function packedFields(rows: Int32Array, column: ValueColumn): Map<string, PackedField> {
  const fields = new Map<string, PackedField>();
  for (let row = 0; row < rows.length; row++) {
    if (rows[row]! < 0) continue;
    for (const [name, value] of unpackFields(column.get(rows[row]!))) {
      let field = fields.get(name);
      if (!field) fields.set(name, (field = { rows: [], values: [] }));
      field.rows.push(row);
      field.values.push(value);
    }
  }
  return fields;
}

/** A field of some rows in the form of a column of its own, together with the values it has in a column. */
export function unpackedColumn(
  count: number,
  packed: PackedField,
  own: { rows: Int32Array; column: ValueColumn } | undefined,
): { rows: Int32Array; column: ValueColumn } {
  const byRow = new Map(packed.rows.map((row, at) => [row, packed.values[at]!]));
  const rows = new Int32Array(count).fill(-1);
  const values: string[] = [];
  for (let row = 0; row < count; row++) {
    const at = own?.rows[row] ?? -1;
    const value = at >= 0 ? own!.column.get(at) : byRow.get(row);
    if (value === undefined) continue;
    rows[row] = values.length;
    values.push(value);
  }
  return { rows, column: decodeValues(encodeColumn(columnOf(values))) };
}

/** Size of packed fields in memory, about. */
export const packedBytes = (fields: ReadonlyMap<string, PackedField>): number => {
  let bytes = 0;
  for (const [name, { values }] of fields) bytes += 200 + name.length * 2 + values.length * 60;
  return bytes;
};
