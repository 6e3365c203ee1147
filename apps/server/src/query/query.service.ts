import type {
  CompleteAnswer,
  CountAnswer,
  LogRecord,
  LogsSearchAnswer,
  SearchNews,
  VolumeAnswer,
} from '@flail/contract';
import {
  addVolume,
  ALL,
  emptyVolume,
  type Hit,
  type Hits,
  LEVELS,
  mergeHits,
  type Order,
  overlaps,
  type Patterns,
  type Place,
  RECORD_FIELDS,
  type Window,
} from '@flail/core';
import { Injectable } from '@nestjs/common';
import { badRequest } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';
import type { FetchedRecord, BrokenSegment } from './lane-tasks.js';
import { missingBody, noEffort } from './missing.js';
import { momentText } from '@flail/core/time';
import { windowBody } from './moments.js';
import { type Asked, Planner, type Scoped } from './planner.js';
import { QueryPool } from './query-pool.js';

/** Answers questions about records: puts them to the lanes, and merges what comes back. */
@Injectable()
export class QueryService {
  constructor(
    private readonly store: RecordStore,
    private readonly pool: QueryPool,
    private readonly planner: Planner,
  ) {}

  /**
   * Records of a window. While segments are still being searched, `early` is told how far the search is, and of the
   * records at the beginning of the page before which nothing that is still to come can stand.
   */
  async search(
    asked: Asked,
    order: Order,
    limit: number,
    cursor?: string,
    early?: (news: SearchNews) => void,
    without: readonly BrokenSegment[] = [],
  ): Promise<LogsSearchAnswer> {
    const plan = await this.planner.plan(asked);
    return this.planner.steadily(async () => {
      const question = {
        kind: 'search',
        window: asked.window,
        order,
        limit: limit + 1,
        ...(cursor !== undefined && { cursor: placeOf(cursor) }),
      } as const;
      const effort = { ...noEffort(), broken: [...without] };
      const segments = this.planner
        .segmentsIn(asked.dataset, asked.window)
        .filter((id) => without.every(({ segment }) => segment !== id));
      if (order === 'oldest') segments.reverse();
      const bounds = new Map(asked.dataset.segments.map(({ id, from, to }) => [id, { from, to }]));
      let found: Hits = { matched: 0, hits: [] };
      const bodies = async (hits: readonly Hit[]): Promise<LogRecord[]> => {
        const places = hits.map(({ segment, row }) => ({ segment: Number(segment), row }));
        const records = await this.pool.fetch(places, effort);
        return records.map((record) => recordBody(record, plan.grouping.patterns));
      };
      let certain = 0;
      let telling: Promise<void> = Promise.resolve();
      const told = (part: Hits, left: readonly number[]): void => {
        found = mergeHits([found, part], order, limit + 1);
        if (!early) return;
        early({ done: segments.length - left.length, total: segments.length, matched: found.matched });
        if (left.length === 0) return;
        const next =
          order === 'newest'
            ? Math.max(...left.map((id) => bounds.get(id)!.to))
            : Math.min(...left.map((id) => bounds.get(id)!.from));
        const sure = found.hits
          .slice(0, limit)
          .filter(({ micros }) => (order === 'newest' ? micros > next : micros < next));
        if (sure.length <= certain) return;
        const from = certain;
        certain = sure.length;
        telling = telling.then(async () => early({ from, records: await bodies(sure.slice(from)) }));
      };
      await this.pool.ask(question, plan, segments, asked.signal, effort, told);
      await telling;
      const { hits, matched } = found;
      const page = hits.slice(0, limit);
      const last = page.at(-1);
      const records = await bodies(page);
      // What was found in a segment that then could not be read is as if it was not there.
      if (records.length < page.length)
        return this.search(asked, order, limit, cursor, undefined, effort.broken);
      return {
        records,
        matched,
        ...missingBody(asked.dataset, effort),
        ...(hits.length > limit && last && { cursor: cursorOf(last) }),
      };
    });
  }

  /** The newest records that match, of some segments alone; for telling of what has just been stored. */
  async newestOf(
    asked: Pick<Asked, 'asker' | 'dataset' | 'scope' | 'signal'>,
    segments: readonly number[],
    limit: number,
  ): Promise<{ records: LogRecord[]; matched: number }> {
    const plan = await this.planner.plan(asked);
    const window = { from: -Infinity, to: Infinity };
    const question = { kind: 'search', window, order: 'newest', limit } as const;
    const parts = await this.pool.ask(question, plan, segments, asked.signal);
    const { hits, matched } = mergeHits(parts, 'newest', limit);
    const places = hits.map(({ segment, row }) => ({ segment: Number(segment), row }));
    const found = await this.pool.fetch(places);
    return { records: found.map((record) => recordBody(record, plan.grouping.patterns)).reverse(), matched };
  }

  async volume(asked: Omit<Asked, 'window'> & { window?: Window }, steps: number): Promise<VolumeAnswer> {
    const held = this.store.shown(asked.dataset);
    const window = asked.window ?? (held && { from: held.from, to: held.to + 1 });
    if (!window) return { total: [], errors: [] };
    const plan = await this.planner.scoped(asked);
    return this.planner.steadily(async () => {
      const sum = emptyVolume(steps);
      const segments = this.planner.segmentsIn(asked.dataset, window);
      const question = { kind: 'volume', window, steps } as const;
      const effort = noEffort();
      for (const part of await this.pool.ask(question, plan, segments, asked.signal, effort))
        addVolume(sum, part);
      return { window: windowBody(window), ...sum, ...missingBody(asked.dataset, effort) };
    });
  }

  async count(asked: Asked): Promise<CountAnswer> {
    const { dataset, window, baseline } = asked;
    const windows: Window[] = [
      window,
      baseline ?? { from: 0, to: 0 },
      { from: -Infinity, to: this.store.shownUntil(dataset) },
    ];
    const effort = noEffort();
    const count = async (plan: Scoped, of: Window[]): Promise<number[]> => {
      const ids = dataset.segments
        .filter(({ from, to }) => of.some((one) => overlaps(one, from, to)))
        .map(({ id }) => id);
      const parts = await this.pool.ask({ kind: 'count', windows: of }, plan, ids, asked.signal, effort);
      return of.map((_, index) => parts.reduce((sum, part) => sum + part[index]!, 0));
    };
    return this.planner.steadily(async () => {
      const [focus, before, anyTime] = await count(await this.planner.scoped(asked), windows);
      const [allFocus, allBefore] = await count(
        await this.planner.scoped({ ...asked, scope: '' }),
        windows.slice(0, 2),
      );
      return {
        focus: focus!,
        baseline: before!,
        anyTime: anyTime!,
        unscoped: { focus: allFocus!, baseline: allBefore! },
        ...missingBody(dataset, effort),
      };
    });
  }

  /** Names of fields, or the commonest values of one. */
  async complete(
    asked: Asked,
    field: string | undefined,
    prefix: string,
    limit: number,
  ): Promise<CompleteAnswer> {
    const plan = await this.planner.scoped(asked);
    const begins = (text: string): boolean => text.toLowerCase().startsWith(prefix.toLowerCase());
    return this.planner.steadily(async () => {
      const segments = this.planner.segmentsIn(asked.dataset, asked.window);
      if (field === undefined) {
        const parts = await this.pool.ask(
          { kind: 'fields' },
          { condition: ALL, patterns: new Map() },
          segments,
          asked.signal,
        );
        return {
          fields: [...new Set([...RECORD_FIELDS, ...parts.flat().sort()])].filter(begins).slice(0, limit),
        };
      }
      const question = { kind: 'values', window: asked.window, field, limit: Math.max(5000, limit) } as const;
      const counts = new Map<string, number>();
      for (const part of await this.pool.ask(question, plan, segments, asked.signal)) {
        for (const [value, count] of part) counts.set(value, (counts.get(value) ?? 0) + count);
      }
      const values = [...counts]
        .map(([value, count]) => ({ value, count }))
        .filter(({ value }) => begins(value))
        .sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1));
      return { values: values.slice(0, limit) };
    });
  }
}

const cursorOf = ({ micros, seq }: Place): string => Buffer.from(`${micros}:${seq}`).toString('base64url');

function placeOf(cursor: string): Place {
  const match = /^(-?\d+):(\d+)$/.exec(Buffer.from(cursor, 'base64url').toString());
  if (!match) throw badRequest('cursor', 'The cursor is not one that a search has answered.');
  return { micros: Number(match[1]), seq: Number(match[2]) };
}

export function recordBody(record: FetchedRecord, patterns: Patterns): LogRecord {
  const { seq, micros, level, layout, service, source, text, slots, fields, line } = record;
  return {
    id: String(seq),
    cursor: cursorOf({ micros, seq }),
    time: momentText(micros),
    level: LEVELS[level]!,
    service,
    source,
    text,
    slots,
    pattern: patterns.idOf(layout),
    fields,
    line,
  };
}
