import type { SegmentView } from '../segments/view.js';
import { countSelected, rowsOfSelection, type Selection } from './selection.js';
import { overlaps, rowsOf, type Window } from './window.js';

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
  selection: Selection,
  window: Window,
  order: Order,
  limit: number,
  cursor?: Place,
): Promise<Hits> {
  const matched = await countIn(view, selection, window);
  if (matched === 0 || limit === 0) return { matched, hits: [] };
  const rows = await rowsOfSelection(view, selection);
  const times = await view.times();
  const seqs = await view.seqs();
  const [from, to] = rowsOf(times, window);
  const hits: Hit[] = [];
  const step = order === 'oldest' ? 1 : -1;
  for (let row = step > 0 ? from : to - 1; row >= from && row < to && hits.length < limit; row += step) {
    if (rows !== true && (rows as Uint8Array)[row] === 0) continue;
    const hit = { segment: view.key, row, micros: times[row]!, seq: seqs[row]! };
    if (!cursor || comparePlaces(hit, cursor, order) > 0) hits.push(hit);
  }
  return { matched, hits };
}

/** Records of a selection that lie in a window; where the whole segment does, its times are not read. */
export async function countIn(view: SegmentView, selection: Selection, window: Window): Promise<number> {
  const { from: first, to: last } = view.summary;
  if (!overlaps(window, first, last)) return 0;
  if (first >= window.from && last < window.to) return countSelected(view, selection);
  if (selection === false) return 0;
  const [from, to] = rowsOf(await view.times(), window);
  const rows = await rowsOfSelection(view, selection);
  if (rows === true) return to - from;
  let count = 0;
  for (let row = from; row < to; row++) count += (rows as Uint8Array)[row]!;
  return count;
}

/**
 * The first hits of several segments, and how many match in all of them. Segments are gone through in the
 * order asked for; those that can't hold any of the first hits are only counted.
 */
export async function searchSegments(
  selected: readonly { view: SegmentView; selection: Selection }[],
  window: Window,
  order: Order,
  limit: number,
  cursor?: Place,
): Promise<Hits> {
  const edge = ({ view }: { view: SegmentView }): number =>
    order === 'oldest' ? view.summary.from : -view.summary.to;
  let found: Hits = { matched: 0, hits: [] };
  for (const one of [...selected].sort((a, b) => edge(a) - edge(b))) {
    const last = found.hits.length >= limit ? found.hits.at(-1) : undefined;
    const beyond = last !== undefined && edge(one) > (order === 'oldest' ? last.micros : -last.micros);
    const part = await searchSegment(one.view, one.selection, window, order, beyond ? 0 : limit, cursor);
    found = mergeHits([found, part], order, limit);
  }
  return found;
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
