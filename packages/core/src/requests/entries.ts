import { holds, type Rows } from '../query/selection.js';
import { rowsOf, type Window } from '../query/window.js';
import type { SegmentView } from '../segments/view.js';
import { fieldReader, nameReader, SAMPLED_ONE_IN, weightOf } from './span.js';

/** How a request ended. */
export const OUTCOMES = ['ok', 'refused', 'failed', 'hidden'] as const;
/**
 * `refused`: the answer blames the client, and nothing broke on the way. `failed`: the first span failed, or
 * something broke on the way to a refusal. `hidden`: something broke, and the answer was good all the same.
 */
export type Outcome = (typeof OUTCOMES)[number];

/** Whether a request only reads, so that it may be sent again without thought. */
export type Access = 'read' | 'write' | 'unknown';

/** A request: a trace, as its first span tells it. */
export interface Request {
  trace: string;
  /** False where the span that it began with was not recorded. */
  first: boolean;
  /** Segment (its key) and row of the first span. */
  segment: string;
  row: number;
  /** Microseconds since 1970. */
  at: number;
  seconds: number;
  outcome: Outcome;
  /** Of HTTP; 0 where there is none. */
  status: number;
  service: string;
  /** Name of the operation. */
  name: string;
  access: Access;
  /** How many requests it stands for. */
  weight: number;
}

/** The spans of a segment with which requests may begin, and what broke. It does not change: keep it. */
export interface SegmentEntries {
  requests: (Omit<Request, 'outcome'> & { failed: boolean })[];
  /** Traces of spans that failed below the first. */
  broken: string[];
}

const READING = new Set(['GET', 'HEAD', 'OPTIONS', 'TRACE', 'QUERY']);

/**
 * Looks through a segment for spans with which a request may begin: without a parent, or asked by nobody who is
 * in the segment. Rows that are not `visible` are as if they were not there.
 */
export async function entriesOf(view: SegmentView, visible: Rows = true): Promise<SegmentEntries> {
  const [times, services, durations, trace, span, parent, kind, status, oneIn, http, method] =
    await Promise.all([
      view.times(),
      view.services(),
      view.fieldNumbers('duration'),
      fieldReader(view, 'trace'),
      fieldReader(view, 'span'),
      fieldReader(view, 'parent'),
      fieldReader(view, 'kind'),
      fieldReader(view, 'status'),
      fieldReader(view, SAMPLED_ONE_IN),
      fieldReader(view, 'http.response.status_code'),
      fieldReader(view, 'http.request.method'),
    ] as const);
  const names = await nameReader(view);
  const entries: SegmentEntries = { requests: [], broken: [] };
  const add = (row: number, first: boolean): void => {
    const seconds = durations?.values[row] ?? 0;
    const how = method(row);
    entries.requests.push({
      trace: trace(row),
      segment: view.key,
      row,
      at: times[row]!,
      seconds: Number.isNaN(seconds) ? 0 : seconds,
      failed: status(row) === 'error',
      status: Number(http(row)) || 0,
      service: view.summary.services[services[row]!]!,
      name: names(row),
      access: how === '' ? 'unknown' : READING.has(how.toUpperCase()) ? 'read' : 'write',
      weight: weightOf(oneIn(row)),
      first,
    });
  };
  const asked: number[] = [];
  const parents = new Set<string>();
  for (let row = 0; row < view.count; row++) {
    if (!holds(visible, row)) continue;
    const above = parent(row);
    if (above === '') {
      add(row, true);
      continue;
    }
    if (status(row) === 'error') entries.broken.push(trace(row));
    const what = kind(row);
    if (what === 'server' || what === 'consumer') {
      asked.push(row);
      parents.add(above);
    }
  }
  // Whose parent is in the segment is no beginning; only of those that are asked for is it looked up.
  for (let row = 0; row < view.count && parents.size > 0; row++)
    if (holds(visible, row)) parents.delete(span(row));
  for (const row of asked) if (parents.has(parent(row))) add(row, false);
  return entries;
}

/**
 * The requests that begin in a window, in the order of time.
 *
 * @param entries of the segments that the window touches, and of those around it where a request may go on
 * @param within only these traces, where given
 */
export function requestsIn(
  entries: readonly SegmentEntries[],
  window: Window,
  within?: ReadonlySet<string>,
): Request[] {
  const broken = new Set(entries.flatMap((entry) => entry.broken));
  const found = new Map<string, SegmentEntries['requests'][number]>();
  for (const { requests } of entries)
    for (const request of requests) {
      if (within && !within.has(request.trace)) continue;
      const known = found.get(request.trace);
      // A trace is one request: it begins with the span that nobody asked for, else with the earliest.
      if (known && (known.first === request.first ? known.at <= request.at : known.first)) continue;
      found.set(request.trace, request);
    }
  const inWindow: Request[] = [];
  for (const { failed, ...request } of found.values()) {
    if (request.at < window.from || request.at >= window.to) continue;
    const outcome = outcomeOf(failed, request.status, broken.has(request.trace));
    inWindow.push({ ...request, outcome });
  }
  return inWindow.sort((a, b) => a.at - b.at || (a.trace < b.trace ? -1 : 1));
}

function outcomeOf(failed: boolean, status: number, brokenInside: boolean): Outcome {
  if (failed || status >= 500) return 'failed';
  if (status >= 400) return brokenInside ? 'failed' : 'refused';
  return brokenInside ? 'hidden' : 'ok';
}

/** Traces of the rows of a segment that lie in a window and are selected. */
export async function tracesOf(
  view: SegmentView,
  rows: Rows,
  window: Window,
  into: Set<string>,
): Promise<void> {
  if (rows === false) return;
  const [from, to] = rowsOf(await view.times(), window);
  if (from === to) return;
  const trace = await fieldReader(view, 'trace');
  for (let row = from; row < to; row++) {
    if (!holds(rows, row)) continue;
    const value = trace(row);
    if (value !== '') into.add(value);
  }
}
