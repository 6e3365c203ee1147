import { type SegmentRecord } from './builder.js';
import { type SegmentView } from './view.js';

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
  const records: SegmentRecord[] = [];
  // Sizes are only kept as a sum; it is laid on the first record.
  let size = summary.rawBytes;
  for (let row = 0; row < view.count; row++) {
    const shape = catalog.shape(summary.shapes[shapes[row]!]!);
    const raw = exact.get(row);
    const shadows: string[] = [];
    for (const name of shape.shadows) {
      const field = (await view.field(name))!;
      shadows.push(field.column.get(field.rows[row]!));
    }
    records.push({
      seq: seqs[row]!,
      micros: times[row]!,
      level: levels[row]!,
      service: summary.services[services[row]!]!,
      context: summary.contexts[contexts[row]!]!,
      shape,
      values: await view.holeValues(shape, row),
      shadows,
      layout: view.layout(layouts[row]!),
      slots: await view.slotValues(row),
      size,
      ...(raw && { exact: raw.slice() }),
    });
    size = 0;
  }
  return records;
}
