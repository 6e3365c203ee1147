import {
  ALL,
  BrokenBlockError,
  type Condition,
  holds,
  overlaps,
  type PatternLookup,
  type Rows,
  rowsOfSelection,
  type SegmentView,
  select,
  type Window,
} from '@flail/core';
import {
  AFTERMATH,
  ALL_TRACES,
  entriesOf,
  isWithin,
  type Request,
  requestsIn,
  requestsWithin,
  type SegmentEntries,
  type Span,
  type TraceSet,
  type TraceTree,
  tracesOf,
  treesOf,
} from '@flail/core/requests';
import { LRUCache } from 'lru-cache';
import type { BrokenSegment } from '../query/lane-tasks.js';
import type { SegmentReader } from '../store/segment-reader.js';
import type { Body, Subject } from './analysis-tasks.js';

/** Segments whose requests are kept in memory; they do not change. */
const ENTRIES_KEPT = 128;
const WINDOWS_KEPT = 12;

/** Reads the requests that a question is about. Lives in one thread, so that what it keeps is kept once. */
export class RequestData {
  private readonly entries = new LRUCache<string, SegmentEntries>({ max: ENTRIES_KEPT });
  /** The requests of the windows asked for last: another order or page asks for the same. */
  private readonly found = new LRUCache<string, readonly Request[]>({ max: WINDOWS_KEPT });
  /** Segments that turned out to be damaged. */
  broken: BrokenSegment[] = [];

  constructor(private readonly reader: SegmentReader) {}

  /** Requests that begin in a window and are in the scope, in the order of time. */
  async requests(subject: Subject, window: Window): Promise<readonly Request[]> {
    const { scope, visible, until, spans, logs } = subject;
    const reach = around(window);
    const views = await this.views(spans, reach);
    const keyOf = (views: readonly SegmentView[]): string => views.map((view) => view.key).join(' ');
    const key = JSON.stringify([window, visible, until, keyOf(views)]);
    if (scope.kind === 'all') return this.allRequests(key, views, subject, window);
    // How patterns group may change; without them the same scope means the same requests.
    const scopeKey =
      logs.patterns.size === 0 && !logs.slots
        ? JSON.stringify([key, scope, keyOf(await this.views(logs, reach))])
        : undefined;
    const kept = scopeKey === undefined ? undefined : this.found.get(scopeKey);
    if (kept) return kept;
    const damaged = this.broken.length;
    const all = await this.allRequests(key, views, subject, window);
    const within = await this.within(subject, window);
    const found = within === ALL_TRACES ? all : all.filter(({ trace }) => isWithin(within, trace));
    if (scopeKey !== undefined && this.broken.length === damaged) this.found.set(scopeKey, found);
    return found;
  }

  private async allRequests(
    key: string,
    views: readonly SegmentView[],
    subject: Subject,
    window: Window,
  ): Promise<readonly Request[]> {
    const kept = this.found.get(key);
    if (kept) return kept;
    const entries = await Promise.all(views.map((view) => this.entriesIn(view, subject)));
    const whole = entries.filter((one) => one !== undefined);
    const all = requestsIn(whole, window);
    if (whole.length === entries.length) this.found.set(key, all);
    return all;
  }

  /** The spans of some requests of a window as trees. */
  async trees(
    { spans, visible, until }: Subject,
    window: Window,
    traces: ReadonlySet<string>,
  ): Promise<Map<string, TraceTree<Span>>> {
    const views = await this.views(spans, around(window));
    return treesOf(views, window, traces, (view) => this.shown(view, visible, until));
  }

  /** When a request begins, or undefined where there is none of that trace. */
  async momentOf({ spans, visible, until }: Subject, trace: string): Promise<number | undefined> {
    const condition: Condition = { kind: 'in', field: 'trace', values: [trace], literal: true };
    const seen: Condition = visible.kind === 'all' ? condition : { kind: 'and', terms: [visible, condition] };
    let first: number | undefined;
    for (const view of await this.views(spans, { from: -Infinity, to: Infinity })) {
      const rows = await this.unlessBroken(() => this.rows(view, seen, spans));
      if (rows === undefined || rows === false) continue;
      const times = await view.times();
      for (let row = 0; row < view.count; row++)
        if (holds(rows, row)) {
          first = Math.min(first ?? Infinity, times[row]!);
          break;
        }
    }
    return first !== undefined && first < until ? first : undefined;
  }

  /** The segments of a body that a window touches. */
  async views({ segments }: Body, window: Window): Promise<SegmentView[]> {
    const views = await Promise.all(segments.map((id) => this.reader.open(id)));
    return views.filter(({ summary: { from, to } }) => overlaps(window, from, to));
  }

  rows(view: SegmentView, condition: Condition, { patterns, slots }: Body): Promise<Rows> {
    if (condition.kind === 'all') return Promise.resolve(true);
    const lookup: PatternLookup = Object.assign(
      (ref: string) => patterns.get(ref) ?? { layouts: new Set<number>() },
      slots && { slots },
    );
    return select(condition, view, lookup).then((selection) => rowsOfSelection(view, selection));
  }

  /** Reads the requests that begin in a segment, to be kept for whoever may see all of it. */
  async readAhead(segment: number): Promise<void> {
    const body: Body = { ...NO_PATTERNS, segments: [segment] };
    for (const view of await this.views(body, { from: -Infinity, to: Infinity }))
      await this.entriesIn(view, { visible: ALL, until: Infinity });
  }

  private async entriesIn(
    view: SegmentView,
    { visible, until }: Pick<Subject, 'visible' | 'until'>,
  ): Promise<SegmentEntries | undefined> {
    const seen = visible.kind === 'all' ? '' : JSON.stringify(visible);
    const key = `${view.key} ${seen} ${until > view.summary.to ? '' : until}`;
    const kept = this.entries.get(key);
    if (kept) return kept;
    return this.unlessBroken(async () => {
      const found = await entriesOf(view, await this.shown(view, visible, until));
      this.entries.set(key, found);
      return found;
    });
  }

  /** The rows that the asker may see, as far as the data set is played back. */
  async shown(view: SegmentView, visible: Condition, until: number): Promise<Rows> {
    const rows = await this.rows(view, visible, NO_PATTERNS);
    if (until > view.summary.to) return rows;
    const times = await view.times();
    return Uint8Array.from(times, (time, row) => Number(time < until && holds(rows, row)));
  }

  /** Traces that the scope means, by their spans and by their lines. */
  private within({ scope, visible, spans, logs, until }: Subject, window: Window): Promise<TraceSet> {
    if (scope.kind === 'all') return Promise.resolve(ALL_TRACES);
    const { from, to } = around(window);
    const reach = { from, to: Math.min(to, until) };
    return requestsWithin(scope, async (term) => {
      const traces = new Set<string>();
      const seen: Condition = visible.kind === 'all' ? term : { kind: 'and', terms: [visible, term] };
      // Patterns are those of lines; spans have none of them.
      const bodies = term.kind === 'pattern' ? [logs] : [spans, logs];
      for (const body of bodies)
        for (const view of await this.views(body, reach))
          await this.unlessBroken(async () =>
            tracesOf(view, await this.rows(view, seen, body), reach, traces),
          );
      return traces;
    });
  }

  /** What a reading brings; where a block is damaged that is noted, and it brings nothing. */
  async unlessBroken<T>(read: () => Promise<T>): Promise<T | undefined> {
    try {
      return await read();
    } catch (error) {
      if (!(error instanceof BrokenBlockError) || error.segment === undefined) throw error;
      this.broken.push({ segment: Number(error.segment), column: error.column });
      return undefined;
    }
  }
}

const NO_PATTERNS: Body = { segments: [], patterns: new Map() };

/** A window with as much around it as its requests may reach. */
const around = ({ from, to }: Window): Window => ({ from: from - AFTERMATH, to: to + AFTERMATH });
