import type { CompleteAnswer, CountAnswer, LogRecord, LogsSearchAnswer, VolumeAnswer } from '@flail/contract';
import {
  addVolume,
  ALL,
  emptyVolume,
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
import type { FetchedRecord } from './lane-tasks.js';
import { missingBody, noEffort } from './missing.js';
import { momentText, windowBody } from './moments.js';
import { type Asked, type Plan, Planner } from './planner.js';
import { QueryPool } from './query-pool.js';

/** Answers questions about records: puts them to the lanes, and merges what comes back. */
@Injectable()
export class QueryService {
  constructor(
    private readonly store: RecordStore,
    private readonly pool: QueryPool,
    private readonly planner: Planner,
  ) {}

  async search(asked: Asked, order: Order, limit: number, cursor?: string): Promise<LogsSearchAnswer> {
    const plan = await this.planner.plan(asked);
    return this.planner.steadily(async () => {
      const question = {
        kind: 'search',
        window: asked.window,
        order,
        limit: limit + 1,
        ...(cursor !== undefined && { cursor: placeOf(cursor) }),
      } as const;
      const effort = noEffort();
      const segments = this.planner.segmentsIn(asked.dataset, asked.window);
      const parts = await this.pool.ask(question, plan, segments, asked.signal, effort);
      const { hits, matched } = mergeHits(parts, order, limit + 1);
      const page = hits.slice(0, limit);
      const records = await this.pool.fetch(
        page.map(({ segment, row }) => ({ segment: Number(segment), row })),
      );
      const last = page.at(-1);
      return {
        records: records.map((record) => recordBody(record, plan.grouping.patterns)),
        matched,
        ...missingBody(asked.dataset, effort),
        ...(hits.length > limit && last && { cursor: cursorOf(last) }),
      };
    });
  }

  async volume(asked: Omit<Asked, 'window'> & { window?: Window }, steps: number): Promise<VolumeAnswer> {
    const held = this.store.held(asked.dataset);
    const window = asked.window ?? (held && { from: held.from, to: held.to + 1 });
    if (!window) return { total: [], errors: [] };
    const plan = await this.planner.plan(asked);
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
    const windows: Window[] = [window, baseline ?? { from: 0, to: 0 }, { from: -Infinity, to: Infinity }];
    const count = async (plan: Plan, of: Window[]): Promise<number[]> => {
      const ids = dataset.segments
        .filter(({ from, to }) => of.some((one) => overlaps(one, from, to)))
        .map(({ id }) => id);
      const parts = await this.pool.ask({ kind: 'count', windows: of }, plan, ids, asked.signal);
      return of.map((_, index) => parts.reduce((sum, part) => sum + part[index]!, 0));
    };
    return this.planner.steadily(async () => {
      const [focus, before, anyTime] = await count(await this.planner.plan(asked), windows);
      const [allFocus, allBefore] = await count(
        await this.planner.plan({ ...asked, scope: '' }),
        windows.slice(0, 2),
      );
      return {
        focus: focus!,
        baseline: before!,
        anyTime: anyTime!,
        unscoped: { focus: allFocus!, baseline: allBefore! },
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
    const plan = await this.planner.plan(asked);
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
      const question = { kind: 'values', window: asked.window, field, limit: 5000 } as const;
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
