import { LEVELS } from '../records/levels.js';
import type { SegmentView } from '../segments/view.js';
import type { Rows } from './evaluate.js';
import { rowsOf, type Window } from './window.js';

/** Values of a field and how many records have each. */
export type ValueCounts = Map<string, number>;

/** Counts the values of a field in a window; at most `limit` different ones a segment. */
export async function countValues(
  view: SegmentView,
  rows: Rows,
  window: Window,
  field: string,
  limit: number,
): Promise<ValueCounts> {
  const counts: ValueCounts = new Map();
  if (rows === false) return counts;
  const valueOf = await valuesOf(view, field);
  if (!valueOf) return counts;
  const [from, to] = rowsOf(await view.times(), window);
  for (let row = from; row < to; row++) {
    if (rows !== true && rows[row] === 0) continue;
    const value = valueOf(row);
    if (value === undefined) continue;
    const known = counts.get(value);
    if (known !== undefined) counts.set(value, known + 1);
    else if (counts.size < limit) counts.set(value, 1);
  }
  return counts;
}

async function valuesOf(
  view: SegmentView,
  field: string,
): Promise<((row: number) => string | undefined) | undefined> {
  const { summary } = view;
  if (field === 'service') {
    const codes = await view.services();
    return (row) => summary.services[codes[row]!];
  }
  if (field === 'level') {
    const codes = await view.levels();
    return (row) => (codes[row] === 0 ? undefined : LEVELS[codes[row]!]);
  }
  const contexts = await view.contexts();
  const declared = summary.contexts.map((id) => {
    const context = view.catalog.context(id);
    return field === 'source' ? context.source : context.attributes[field];
  });
  const own = await view.field(field);
  if (!own && declared.every((value) => value === undefined)) return undefined;
  return (row) => {
    const index = own?.rows[row] ?? -1;
    return own && index >= 0 ? own.column.get(index) : declared[contexts[row]!];
  };
}
