import type { PatternBook } from '../patterns/pattern-book.js';
import { type Change, changeOf, type Spans, surpriseOf } from '../patterns/surprise.js';
import {
  addCounts,
  addHistory,
  emptyCounts,
  emptyHistory,
  type LayoutCounts,
  type LayoutHistory,
} from './pattern-counts.js';

export const PATTERN_ORDERS = ['surprise', 'common', 'rare', 'latest', 'changed'] as const;
export type PatternOrder = (typeof PATTERN_ORDERS)[number];

/** A row of the pattern table. */
export interface PatternRow extends LayoutCounts {
  id: string;
  /** Records before the focus. */
  earlier: number;
  change: Change;
  surprise: number;
  /** Focus rate divided by baseline rate; undefined without a baseline count. */
  lift?: number;
}

/** Layouts whose history is needed: all those of the patterns that were found in the windows. */
export function layoutsToLookBack(counts: ReadonlyMap<number, LayoutCounts>, book: PatternBook): number[] {
  const patterns = book.patterns();
  const ids = new Set([...counts.keys()].map((layout) => book.idOf(layout)));
  return [...ids].flatMap((id) => patterns.get(id)!.layouts.map((layout) => layout.id));
}

/** The patterns found in focus or baseline, in an order. */
export function patternTable(
  counts: ReadonlyMap<number, LayoutCounts>,
  histories: ReadonlyMap<number, LayoutHistory>,
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
  const pasts = new Map<string, LayoutHistory>();
  for (const [layout, history] of histories) addHistory(pasts, book.idOf(layout), history);
  const rows = [...sums].map(([id, sum]): PatternRow => {
    const past = pasts.get(id) ?? emptyHistory();
    const peak = Math.max(0, ...past.stretches.values());
    const occurrences = {
      focus: sum.focus,
      baseline: sum.baseline,
      earlier: past.earlier,
      margin: past.margin,
      peak,
    };
    return {
      ...sum,
      id,
      earlier: past.earlier,
      first: Math.min(sum.first, past.first),
      last: Math.max(sum.last, past.last),
      change: changeOf(occurrences, spans),
      surprise: surpriseOf(occurrences, spans),
      ...(sum.baseline > 0 &&
        spans.baseline > 0 && { lift: sum.focus / spans.focus / (sum.baseline / spans.baseline) }),
    };
  });
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
