import { encodeUtf8 } from '../codec/bytes.js';
import { isStored } from '../records/shape.js';
import type { SegmentRecord } from './builder.js';
import { linesOf } from './lines.js';
import type { FieldValues, SegmentView } from './view.js';

/** All records of a segment, as they went into it; for putting small segments together. */
export async function recordsOf(view: SegmentView): Promise<SegmentRecord[]> {
  const { summary, catalog } = view;
  const [times, seqs, levels, services, contexts, shapes, layouts] = [
    await view.times(),
    await view.seqs(),
    await view.levels(),
    await view.services(),
    await view.contexts(),
    await view.shapes(),
    await view.layouts(),
  ];
  const exact = await view.exact();
  // Everything is fetched before the rows are gone through: waiting for each value would cost many times as much.
  const ranks = await view.ranks();
  const slots = await Promise.all(summary.layouts.map((_, code) => view.slots(code)));
  const fields = new Map<string, FieldValues>();
  for (const name of summary.fields) fields.set(name, (await view.columnOf(name))!);
  const valueOf = (name: string, row: number): string => {
    const { column, rows } = fields.get(name)!;
    return column.get(rows[row]!);
  };
  const records: SegmentRecord[] = [];
  // Sizes are only kept as a sum; it is laid on the first record.
  let size = summary.rawBytes;
  for (let row = 0; row < view.count; row++) {
    const shape = catalog.shape(summary.shapes[shapes[row]!]!);
    const raw = exact.get(row);
    const code = layouts[row]!;
    records.push({
      seq: seqs[row]!,
      micros: times[row]!,
      level: levels[row]!,
      service: summary.services[services[row]!]!,
      context: summary.contexts[contexts[row]!]!,
      shape,
      values: shape.holes.map((hole) => (isStored(hole) ? valueOf(hole.name, row) : '')),
      shadows: shape.shadows.map((name) => valueOf(name, row)),
      layout: view.layout(code),
      slots: slots[code]!.map((column) => column.get(ranks[row]!)),
      size,
      ...(raw && { exact: raw.slice() }),
    });
    size = 0;
  }
  return records;
}

/** What of a segment's records is kept: those of each context from a moment on (microseconds); all where none is given. */
export type KeptFrom = ReadonlyMap<number, number>;

/** The records of a segment that are kept. */
export async function recordsKept(view: SegmentView, keptFrom: KeptFrom): Promise<SegmentRecord[]> {
  const records = await recordsOf(view);
  const lineOf = await linesOf(view);
  const kept: SegmentRecord[] = [];
  for (const [row, record] of records.entries()) {
    if (record.micros < (keptFrom.get(record.context) ?? -Infinity)) continue;
    const line = lineOf(row);
    kept.push({ ...record, size: typeof line === 'string' ? encodeUtf8(line).length : line.length });
  }
  return kept;
}
