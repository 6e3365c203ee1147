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
  /** In the order of time, with the outcome as far as the segment tells it. */
  requests: Request[];
  /** Traces of spans that failed below the first. */
  broken: Set<string>;
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
  const entries: SegmentEntries = { requests: [], broken: new Set() };
  const add = (row: number, first: boolean): void => {
    const seconds = durations?.values[row] ?? 0;
    const how = method(row);
    entries.requests.push({
      trace: trace(row),
      segment: view.key,
      row,
      at: times[row]!,
      seconds: Number.isNaN(seconds) ? 0 : seconds,
      outcome: outcomeOf(status(row) === 'error', Number(http(row)) || 0),
      status: Number(http(row)) || 0,
      service: view.summary.services[services[row]!]!,
      name: names(row),
      access: how === '' ? 'unknown' : READING.has(how.toUpperCase()) ? 'read' : 'write',
      weight: weightOf(oneIn(row)),
      first,
    });
  };
  const asked: number[] = [];
  for (let row = 0; row < view.count; row++) {
    if (!holds(visible, row)) continue;
    const above = parent(row);
    if (above === '') {
      add(row, true);
      continue;
    }
    if (status(row) === 'error') entries.broken.add(trace(row));
    const what = kind(row);
    if (what === 'server' || what === 'consumer') asked.push(row);
  }
  // Whose parent is in the segment is no beginning.
  const [spanKey, parentKey] = await keyReaders(view, ['span', 'parent']);
  const places = new Map<number | string, number>();
  for (const row of asked) places.set(parentKey(row), -1);
  for (let row = 0; row < view.count && places.size > 0; row++)
    if (places.has(spanKey(row)) && holds(visible, row)) places.set(spanKey(row), row);
  let ids: Set<string> | undefined;
  /** Where different ids have the same key, all are looked through. */
  const isThere = (id: string): boolean => {
    if (!ids) {
      ids = new Set();
      for (let row = 0; row < view.count; row++) if (holds(visible, row)) ids.add(span(row));
    }
    return ids.has(id);
  };
  const before = entries.requests.length;
  for (const row of asked) {
    const place = places.get(parentKey(row))!;
    if (place < 0 || (span(place) !== parent(row) && !isThere(parent(row)))) add(row, false);
  }
  for (const row of await circles(view, visible)) add(row, false);
  if (entries.requests.length > before) entries.requests.sort((a, b) => a.row - b.row);
  for (const [at, request] of entries.requests.entries())
    if (entries.broken.has(request.trace)) entries.requests[at] = brokenInside(request);
  return entries;
}

/**
 * Of each trace of the segment that hangs on a circle of spans, which so has no beginning, the row of the earliest span
 * of the circle.
 */
async function circles(view: SegmentView, visible: Rows): Promise<number[]> {
  const [spanKey, parentKey] = await keyReaders(view, ['span', 'parent']);
  const parents = new Map<number | string, number>();
  for (let row = 0; row < view.count; row++)
    if (holds(visible, row) && parentKey(row) !== '') parents.set(spanKey(row), row);
  /** For each row by which way it was come to; a way that comes back to itself is a circle. */
  const ways = new Int32Array(view.count);
  const found: number[] = [];
  let way = 0;
  for (const start of parents.values()) {
    way++;
    let row: number | undefined = start;
    while (row !== undefined && ways[row] === 0) {
      ways[row] = way;
      row = parents.get(parentKey(row));
    }
    if (row === undefined || ways[row] !== way) continue;
    let earliest = row;
    for (let next = parents.get(parentKey(row))!; next !== row; next = parents.get(parentKey(next))!)
      earliest = Math.min(earliest, next);
    found.push(earliest);
  }
  if (found.length === 0) return found;
  // What stood for the ids need not tell all of them apart.
  const [span, parent, trace] = [
    await fieldReader(view, 'span'),
    await fieldReader(view, 'parent'),
    await fieldReader(view, 'trace'),
  ];
  return found.filter((row) => {
    const own = trace(row);
    for (let next = row; ;) {
      const above = parents.get(parentKey(next))!;
      if (span(above) !== parent(next) || trace(above) !== own) return false;
      if (above === row) return true;
      next = above;
    }
  });
}

/** Reads what ids of two fields are compared by: numbers, where both are kept as such, which saves their texts. */
async function keyReaders(
  view: SegmentView,
  names: readonly [string, string],
): Promise<[one: (row: number) => number | string, other: (row: number) => number | string]> {
  const fields = await Promise.all(names.map((name) => view.field(name)));
  const alike = fields.every((field) => field === undefined || field.column.hex !== undefined);
  const [one, other] = fields.map((field) => {
    if (!field) return () => '';
    const { rows, column } = field;
    const key = (at: number): number | string => (alike ? column.hex!.key(at) : column.get(at));
    return (row: number) => (rows[row]! < 0 ? '' : key(rows[row]!));
  });
  return [one!, other!];
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
  const found = new Map<string, Request>();
  for (const { requests } of entries)
    for (const request of requests) {
      if (within && !within.has(request.trace)) continue;
      const known = found.get(request.trace);
      // A trace is one request: it begins with the span that nobody asked for, else with the earliest.
      if (known && (known.first === request.first ? known.at <= request.at : known.first)) continue;
      found.set(request.trace, request);
    }
  // What broke in another segment than the one that the request begins in is known only here.
  for (const { broken } of entries)
    for (const trace of broken) {
      const request = found.get(trace);
      if (request) found.set(trace, brokenInside(request));
    }
  const inWindow: Request[] = [];
  for (const request of found.values())
    if (request.at >= window.from && request.at < window.to) inWindow.push(request);
  return inWindow.sort((a, b) => a.at - b.at || (a.trace < b.trace ? -1 : 1));
}

/** What the first span alone tells of how a request ended. */
function outcomeOf(failed: boolean, status: number): Outcome {
  if (failed || status >= 500) return 'failed';
  return status >= 400 ? 'refused' : 'ok';
}

/** A request of which it is known that something broke on its way. */
function brokenInside(request: Request): Request {
  if (request.outcome === 'ok') return { ...request, outcome: 'hidden' };
  return request.outcome === 'refused' ? { ...request, outcome: 'failed' } : request;
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
