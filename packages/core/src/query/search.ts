import type { SegmentView } from '../segments/view.js';
import type { Rows } from './evaluate.js';
import { rowsOf, type Window } from './window.js';

export type Order = 'newest' | 'oldest';

/** Place of a record in the order of a search: its time, then its order of arrival. */
export interface Place {
  micros: number;
  seq: number;
}

export interface Hit extends Place {
  segment: string;
  row: number;
}

export interface Hits {
  /** All records of the window that match. */
  matched: number;
  /** The first of them behind the cursor, in the order asked for. */
  hits: Hit[];
}

/** Compares places in an order; negative when `a` comes first. */
export function comparePlaces(a: Place, b: Place, order: Order): number {
  const difference = a.micros - b.micros || a.seq - b.seq;
  return order === 'oldest' ? difference : -difference;
}

/** The first matching rows of a segment behind a cursor, and how many match in all. */
export async function searchSegment(
  view: SegmentView,
  rows: Rows,
  window: Window,
  order: Order,
  limit: number,
  cursor?: Place,
): Promise<Hits> {
  if (rows === false) return { matched: 0, hits: [] };
  const times = await view.times();
  const seqs = await view.seqs();
  const [from, to] = rowsOf(times, window);
  let matched = to - from;
  if (rows !== true) {
    matched = 0;
    for (let row = from; row < to; row++) matched += rows[row]!;
  }
  const hits: Hit[] = [];
  const step = order === 'oldest' ? 1 : -1;
  for (let row = step > 0 ? from : to - 1; row >= from && row < to && hits.length < limit; row += step) {
    if (rows !== true && rows[row] === 0) continue;
    const hit = { segment: view.key, row, micros: times[row]!, seq: seqs[row]! };
    if (!cursor || comparePlaces(hit, cursor, order) > 0) hits.push(hit);
  }
  return { matched, hits };
}

/** The first hits of several segments together. */
export function mergeHits(parts: readonly Hits[], order: Order, limit: number): Hits {
  return {
    matched: parts.reduce((sum, part) => sum + part.matched, 0),
    hits: parts
      .flatMap((part) => part.hits)
      .sort((a, b) => comparePlaces(a, b, order))
      .slice(0, limit),
  };
}
