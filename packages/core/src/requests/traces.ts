import { holds, type Rows } from '../query/selection.js';
import { rowsOf, type Window } from '../query/window.js';
import type { SegmentView } from '../segments/view.js';
import { type Span, SPAN_OWN, spanReader } from './span.js';
import { operationOf } from './tally.js';
import { traceTree, type TraceTree } from './tree.js';
import type { Told } from './twin.js';

/** A request may go on for so long behind the window in which it began, microseconds. */
export const AFTERMATH = 600_000_000;

/** The trees of some traces, by their ids, from the spans that lie in a window or follow soon behind it. */
export async function treesOf(
  views: readonly SegmentView[],
  { from, to }: Window,
  traces: ReadonlySet<string>,
  visible: (view: SegmentView) => Promise<Rows> = () => Promise.resolve(true),
): Promise<Map<string, TraceTree<Span>>> {
  const spans = new Map<string, Span[]>();
  for (const view of views) {
    const [first, end] = rowsOf(await view.times(), { from: from - AFTERMATH, to: to + AFTERMATH });
    if (first === end) continue;
    const trace = await traceReader(view, traces);
    const read = await spanReader(view);
    const seen = await visible(view);
    for (let row = first; row < end; row++) {
      const id = trace(row);
      if (id === undefined || !holds(seen, row)) continue;
      const own = spans.get(id);
      if (own) own.push(read(row));
      else spans.set(id, [read(row)]);
    }
  }
  return new Map([...spans].map(([id, own]) => [id, traceTree(own)!] as const));
}

/** Reads the trace of a row, where it is one of those that are wanted; of others not even its text is read. */
async function traceReader(
  view: SegmentView,
  traces: ReadonlySet<string>,
): Promise<(row: number) => string | undefined> {
  const field = await view.field('trace');
  if (!field) return () => undefined;
  const { rows, column } = field;
  const { hex } = column;
  const keys = hex && new Set(Array.from(traces, hex.keyOf));
  return (row) => {
    const at = rows[row]!;
    if (at < 0 || (hex && !keys!.has(hex.key(at)))) return undefined;
    const trace = column.get(at);
    return traces.has(trace) ? trace : undefined;
  };
}

const SAID_OTHERWISE = new Set<string>([
  ...SPAN_OWN,
  'status.message',
  'nanos',
  'level',
  'service',
  'scope.name',
  'events',
  'links',
]);

/** What is told of a request: the fields of its first span, of those below what is not told above, and where each ran. */
export async function toldOf(tree: TraceTree<Span>, views: ReadonlyMap<string, SegmentView>): Promise<Told> {
  const fields = new Map<string, string>();
  const add = (field: string, value: string): void => {
    if (!fields.has(field)) fields.set(field, value);
  };
  const seen = new Set<string>();
  for (const { span } of tree.nodes) {
    const view = views.get(span.segment);
    // Hundreds of calls alike tell no more than the first.
    if (!view || seen.has(operationOf(span))) continue;
    seen.add(operationOf(span));
    for (const [field, value] of await view.fields(span.row)) {
      if (SAID_OTHERWISE.has(field)) continue;
      if (field in span.sender) add(`${span.service}: ${field}`, value);
      else add(field, value);
    }
  }
  return { trace: tree.root.span.trace, at: tree.root.span.from, fields };
}
