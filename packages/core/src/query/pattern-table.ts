import type { Mark } from '../grouping/mark.js';
import type { Patterns } from '../grouping/grouping.js';
import type { SlotPlace } from '../grouping/slots.js';
import { type Change, changeOf, type Spans, surpriseOf } from '../patterns/surprise.js';
import { type CountKey, partsOfKey } from './count-keys.js';
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
  /** In bits, times the weight of its mark. */
  surprise: number;
  /** Focus rate divided by baseline rate; undefined without a baseline count. */
  lift?: number;
  /** What a person said of it. */
  mark?: Mark;
}

/** Layouts whose history is needed: all those of the patterns that were found in the windows. */
export function layoutsToLookBack(counts: ReadonlyMap<CountKey, LayoutCounts>, patterns: Patterns): number[] {
  const ids = new Set([...counts.keys()].map((key) => patterns.idOf(partsOfKey(key).layout)));
  return [...ids].flatMap((id) =>
    patterns
      .all()
      .get(id)!
      .layouts.map((layout) => layout.id),
  );
}

/** Where the slots stand that split patterns, for each of their layouts. */
export function splitPlaces(patterns: Patterns): Map<number, SlotPlace> {
  const places = new Map<number, SlotPlace>();
  for (const [id, { slot }] of patterns.splits) {
    const pattern = patterns.all().get(id);
    if (!pattern) continue;
    for (const [layout, own] of patterns.slotsOf(pattern).places) places.set(layout, own[slot]);
  }
  return places;
}

/** What a pattern that is split by a slot is called for one of its values. */
export const splitId = (pattern: string, value: string): string => `${pattern}:${value}`;

/** Id of the pattern, or of the part of a split one, that something counted belongs to. */
function rowId(key: CountKey, patterns: Patterns): string {
  const { layout, value } = partsOfKey(key);
  const id = patterns.idOf(layout);
  if (value === undefined) return id;
  const values = patterns.splits.get(id)?.values;
  return !values || values.includes(value) ? splitId(id, value) : id;
}

/** The patterns found in focus or baseline, in an order. */
export function patternTable(
  counts: ReadonlyMap<CountKey, LayoutCounts>,
  histories: ReadonlyMap<CountKey, LayoutHistory>,
  patterns: Patterns,
  spans: Spans,
  order: PatternOrder,
  marks: ReadonlyMap<string, Mark> = new Map(),
): PatternRow[] {
  const sums = new Map<string, LayoutCounts>();
  for (const [key, count] of counts) {
    const id = rowId(key, patterns);
    let sum = sums.get(id);
    if (!sum) sums.set(id, (sum = emptyCounts()));
    addCounts(sum, count);
  }
  const pasts = new Map<string, LayoutHistory>();
  for (const [key, history] of histories) addHistory(pasts, rowId(key, patterns), history);
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
      surprise: surpriseOf(occurrences, spans) * (marks.get(id)?.weight ?? 1),
      ...(marks.has(id) && { mark: marks.get(id)! }),
      ...(sum.baseline > 0 &&
        spans.baseline > 0 && { lift: sum.focus / spans.focus / (sum.baseline / spans.baseline) }),
    };
  });
  return rows.sort((a, b) => ORDERS[order](a, b) || b.focus - a.focus || (a.id < b.id ? -1 : 1));
}

const ORDERS: Record<PatternOrder, (a: PatternRow, b: PatternRow) => number> = {
  // Of equals the one that came last: it stands nearest to what the focus leads up to.
  surprise: (a, b) => b.surprise - a.surprise || b.first - a.first,
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
