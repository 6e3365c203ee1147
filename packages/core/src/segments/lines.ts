import { rebuildText } from '../patterns/layout.js';
import { isStored, rebuildLine } from '../records/shape.js';
import type { FieldValues, SegmentView } from './view.js';

/** Gives lines of one segment as they were received: bytes where they are not what their parts say, else text. */
export type LineOfRow = (row: number) => string | Uint8Array;

/** For rebuilding many lines: all that they are made of is fetched before, so that no row has to be waited for. */
export async function linesOf(view: SegmentView): Promise<LineOfRow> {
  const { summary, catalog } = view;
  const [times, shapes, layouts, ranks, exact] = [
    await view.times(),
    await view.shapes(),
    await view.layouts(),
    await view.ranks(),
    await view.exact(),
  ];
  const slots = await Promise.all(summary.layouts.map((_, code) => view.slots(code)));
  const fields = new Map<string, FieldValues>();
  for (const name of summary.fields) fields.set(name, (await view.columnOf(name))!);
  const known = summary.shapes.map((id) => {
    const shape = catalog.shape(id);
    return { shape, holes: shape.holes.map((hole) => (isStored(hole) ? fields.get(hole.name) : undefined)) };
  });
  return (row) => {
    const kept = exact.get(row);
    if (kept) return kept;
    const { shape, holes } = known[shapes[row]!]!;
    const code = layouts[row]!;
    const text = rebuildText(
      view.layout(code),
      slots[code]!.map((column) => column.get(ranks[row]!)),
    );
    return rebuildLine(shape, times[row]!, text, (hole) => {
      const values = holes[hole];
      return values ? values.column.get(values.rows[row]!) : '';
    });
  };
}
