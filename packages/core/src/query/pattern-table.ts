import { type PatternBook } from '../patterns/pattern-book.js';
import { type Change, changeOf, type Spans, surpriseOf } from '../patterns/surprise.js';
import { addCounts, emptyCounts, type LayoutCounts } from './pattern-counts.js';

export const PATTERN_ORDERS = ['surprise', 'common', 'rare', 'latest', 'changed'] as const;
export type PatternOrder = (typeof PATTERN_ORDERS)[number];

/** A row of the pattern table. */
export interface PatternRow extends LayoutCounts {
  id: string;
  change: Change;
  surprise: number;
  /** Focus rate divided by baseline rate; undefined without a baseline count. */
  lift?: number;
}

/** The patterns found in focus or baseline, in an order. Patterns that stand in neither window have no row. */
export function patternTable(
  counts: ReadonlyMap<number, LayoutCounts>,
  book: PatternBook,
  spans: Spans,
  order: PatternOrder,
): PatternRow[] {
  const sums = new Map<string, LayoutCounts>();
  for (const [layout, count] of counts) {
    const id = book.idOf(layout);
    let sum = sums.get(id);
    if (!sum) sums.set(id, (sum = emptyCounts()));
    addCounts(sum, count);
  }
  const rows: PatternRow[] = [];
  for (const [id, sum] of sums) {
    if (sum.focus + sum.baseline === 0) continue;
    rows.push({
      ...sum,
      id,
      change: changeOf(sum, spans),
      surprise: surpriseOf(sum, spans),
      ...(sum.baseline > 0 && spans.baseline > 0 && { lift: sum.focus / spans.focus / (sum.baseline / spans.baseline) }),
    });
  }
  return rows.sort((a, b) => ORDERS[order](a, b) || b.focus - a.focus || (a.id < b.id ? -1 : 1));
}

const ORDERS: Record<PatternOrder, (a: PatternRow, b: PatternRow) => number> = {
  surprise: (a, b) => b.surprise - a.surprise,
  common: (a, b) => b.focus - a.focus,
  rare: (a, b) => Number(a.focus === 0) - Number(b.focus === 0) || a.focus - b.focus,
  latest: (a, b) => b.first - a.first,
  changed: (a, b) => change(b) - change(a),
};

/** Size of a change in records: how many more or fewer than the baseline let expect. */
const change = (row: PatternRow): number => {
  const expected = row.lift === undefined ? 0 : row.focus === 0 ? row.baseline : row.focus / row.lift;
  return Math.abs(row.focus - expected);
};
