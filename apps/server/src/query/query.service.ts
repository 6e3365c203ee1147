import type {
  CompleteAnswer,
  CountAnswer,
  LogRecord,
  LogsSearchAnswer,
  PatternChange,
  PatternsSearchAnswer,
  PatternSummary,
  SentencePart,
  VolumeAnswer,
} from '@flail/contract';
import {
  addAllCounts,
  addAllHistory,
  addVolume,
  ALL,
  type Condition,
  emptyVolume,
  type LayoutCounts,
  type LayoutHistory,
  layoutsToLookBack,
  LEVELS,
  mergeHits,
  type Order,
  overlaps,
  parseExpression,
  type PatternOrder,
  type PatternRow,
  patternTable,
  type Place,
  RECORD_FIELDS,
  type CountKey,
  type Grouping,
  marksAt,
  type PatternRecords,
  type Patterns,
  partsOfKey,
  recordsOfPattern,
  sentenceOf,
  splitPlaces,
  SLOT_NAMES,
  type Spans,
  stretchOf,
  type Window,
} from '@flail/core';
import { Injectable } from '@nestjs/common';
import { type Asker, granted } from '../access/asker.js';
import { GroupingService } from '../grouping/grouping.service.js';
import { RulesService } from '../grouping/rules.service.js';
import { badRequest } from '../problems/problem.js';
import { type Dataset, RecordStore, type SegmentInfo } from '../store/record-store.js';
import { SegmentGoneError } from '../store/segment-gone.js';
import type { Answers, FetchedRecord, Question } from './lane-tasks.js';
import { momentText, windowBody } from './moments.js';
import { QueryPool } from './query-pool.js';

/** A question that came in: who asks, what of, within which windows and filter. */
export interface Asked {
  asker: Asker;
  dataset: Dataset;
  window: Window;
  baseline?: Window;
  scope: string;
  signal?: AbortSignal;
}

/** A filter with the records of the patterns that it names, as the layouts group now. */
interface Plan {
  condition: Condition;
  patterns: Map<string, PatternRecords>;
  grouping: Grouping;
}

const MAX_TRIES = 5;

/** Answers questions about records: plans them, puts them to the lanes, and merges what comes back. */
@Injectable()
export class QueryService {
  constructor(
    private readonly store: RecordStore,
    private readonly pool: QueryPool,
    private readonly groupings: GroupingService,
    private readonly rules: RulesService,
  ) {}

  async search(asked: Asked, order: Order, limit: number, cursor?: string): Promise<LogsSearchAnswer> {
    const plan = await this.plan(asked);
    return this.steadily(async () => {
      const question = {
        kind: 'search',
        window: asked.window,
        order,
        limit: limit + 1,
        ...(cursor !== undefined && { cursor: placeOf(cursor) }),
      } as const;
      const parts = await this.pool.ask(
        question,
        plan.condition,
        plan.patterns,
        this.segmentsIn(asked.dataset, asked.window),
        asked.signal,
      );
      const { hits, matched } = mergeHits(parts, order, limit + 1);
      const page = hits.slice(0, limit);
      const records = await this.pool.fetch(
        page.map(({ segment, row }) => ({ segment: Number(segment), row })),
      );
      const last = page.at(-1);
      return {
        records: records.map((record) => recordBody(record, plan.grouping.patterns)),
        matched,
        ...(hits.length > limit && last && { cursor: cursorOf(last) }),
      };
    });
  }

  async patterns(
    asked: Asked,
    order: PatternOrder,
    limit: number,
    grain?: number,
  ): Promise<PatternsSearchAnswer> {
    const plan = await this.plan(asked);
    const { dataset, window: focus, baseline } = asked;
    return this.steadily(async () => {
      const ask = <K extends 'patterns' | 'history'>(
        question: Extract<Question, { kind: K }>,
        segments: number[],
      ): Promise<Answers[K][]> =>
        this.pool.ask<K>(question, plan.condition, plan.patterns, segments, asked.signal);
      const segments = dataset.segments.filter(
        ({ from, to }) => overlaps(focus, from, to) || (baseline && overlaps(baseline, from, to)),
      );
      const splits = splitPlaces(plan.grouping.patterns);
      const counts = new Map<CountKey, LayoutCounts>();
      const windows = { kind: 'patterns', focus, ...(baseline && { baseline }), splits } as const;
      for (const part of await ask<'patterns'>(
        windows,
        segments.map(({ id }) => id),
      ))
        addAllCounts(counts, part);
      // All that was held before the focus is looked at: only so is "first seen" a fact.
      const heldFrom = Math.min(this.store.held(dataset)?.from ?? focus.from, focus.from);
      const stretch = stretchOf(focus, heldFrom);
      const before = dataset.segments.filter(({ from }) => from < focus.from).map(({ id }) => id);
      const histories = new Map<CountKey, LayoutHistory>();
      const present = [...counts.keys()].map((key) => partsOfKey(key).layout);
      const own = plan.grouping.patterns;
      const patterns = grain === undefined ? own : plan.grouping.cut(grain, present);
      const layouts = layoutsToLookBack(counts, patterns);
      for (const part of await ask<'history'>({ kind: 'history', focus, stretch, layouts, splits }, before))
        addAllHistory(histories, part);
      const spans: Spans = {
        focus: focus.to - focus.from,
        baseline: baseline ? baseline.to - baseline.from : 0,
        earlier: focus.from - heldFrom,
        stretch,
        touching: baseline !== undefined && baseline.to === focus.from,
      };
      const marks = marksAt(
        await this.rules.marks(dataset),
        Date.now() * 1000,
        (ref) => patterns.find(plan.grouping.named(ref) ?? ref)?.id,
      );
      const all = patternTable(counts, histories, patterns, spans, order, marks);
      const rows = all.filter(({ mark }) => mark?.kind !== 'muted');
      const muted = all.filter(({ mark }) => mark?.kind === 'muted');
      const shown = rows.slice(0, limit);
      const samples = await this.pool.fetch(
        shown.map(({ sample }) => ({ segment: Number(sample!.segment), row: sample!.row })),
      );
      const changes: Record<PatternChange, number> = {
        'first seen': 0,
        'new here': 0,
        ceased: 0,
        more: 0,
        less: 0,
        'as before': 0,
      };
      for (const row of rows) changes[row.change]++;
      return {
        patterns: shown.map((row, index) =>
          patternBody(row, spans, sentenceBody(samples[index]!, patterns), plan.grouping.namesOf.get(row.id)),
        ),
        grain: { patterns: all.length, own: new Set(present.map((id) => own.idOf(id))).size },
        muted: { patterns: muted.length, focus: muted.reduce((sum, row) => sum + row.focus, 0) },
        total: rows.length,
        matched: {
          focus: rows.reduce((sum, row) => sum + row.focus, 0),
          baseline: rows.reduce((sum, row) => sum + row.baseline, 0),
        },
        changes,
      };
    });
  }

  async volume(asked: Omit<Asked, 'window'> & { window?: Window }, steps: number): Promise<VolumeAnswer> {
    const held = this.store.held(asked.dataset);
    const window = asked.window ?? (held && { from: held.from, to: held.to + 1 });
    if (!window) return { total: [], errors: [] };
    const plan = await this.plan(asked);
    return this.steadily(async () => {
      const sum = emptyVolume(steps);
      const segments = this.segmentsIn(asked.dataset, window);
      const question = { kind: 'volume', window, steps } as const;
      for (const part of await this.pool.ask(question, plan.condition, plan.patterns, segments, asked.signal))
        addVolume(sum, part);
      return { window: windowBody(window), ...sum };
    });
  }

  async count(asked: Asked): Promise<CountAnswer> {
    const { dataset, window, baseline } = asked;
    const windows: Window[] = [window, baseline ?? { from: 0, to: 0 }, { from: -Infinity, to: Infinity }];
    const count = async (plan: Plan, of: Window[]): Promise<number[]> => {
      const ids = dataset.segments
        .filter(({ from, to }) => of.some((one) => overlaps(one, from, to)))
        .map(({ id }) => id);
      const parts = await this.pool.ask(
        { kind: 'count', windows: of },
        plan.condition,
        plan.patterns,
        ids,
        asked.signal,
      );
      return of.map((_, index) => parts.reduce((sum, part) => sum + part[index]!, 0));
    };
    return this.steadily(async () => {
      const [focus, before, anyTime] = await count(await this.plan(asked), windows);
      const [allFocus, allBefore] = await count(await this.plan({ ...asked, scope: '' }), windows.slice(0, 2));
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
    const plan = await this.plan(asked);
    const segments = this.segmentsIn(asked.dataset, asked.window);
    const begins = (text: string): boolean => text.toLowerCase().startsWith(prefix.toLowerCase());
    return this.steadily(async () => {
      if (field === undefined) {
        const parts = await this.pool.ask({ kind: 'fields' }, ALL, new Map(), segments, asked.signal);
        return {
          fields: [...new Set([...RECORD_FIELDS, ...parts.flat().sort()])].filter(begins).slice(0, limit),
        };
      }
      const question = { kind: 'values', window: asked.window, field, limit: 5000 } as const;
      const counts = new Map<string, number>();
      for (const part of await this.pool.ask(
        question,
        plan.condition,
        plan.patterns,
        segments,
        asked.signal,
      )) {
        for (const [value, count] of part) counts.set(value, (counts.get(value) ?? 0) + count);
      }
      const values = [...counts]
        .map(([value, count]) => ({ value, count }))
        .filter(({ value }) => begins(value))
        .sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1));
      return { values: values.slice(0, limit) };
    });
  }

  private async plan({ asker, dataset, scope }: Pick<Asked, 'asker' | 'dataset' | 'scope'>): Promise<Plan> {
    const condition = granted(asker, parseExpression(scope));
    const grouping = await this.groupings.current(dataset);
    const patterns = new Map<string, PatternRecords>();
    for (const ref of refsIn(condition)) {
      const records = recordsOfPattern(grouping, ref);
      if (!records) throw badRequest('no-such-pattern', `There is no pattern "${ref}" in this data set.`);
      patterns.set(ref, records);
    }
    return { condition, patterns, grouping };
  }

  private segmentsIn(dataset: Dataset, window: Window): number[] {
    const found: SegmentInfo[] = dataset.segments.filter(({ from, to }) => overlaps(window, from, to));
    return found.sort((a, b) => b.to - a.to).map(({ id }) => id);
  }

  /** Runs a question again when segments were put together under it. */
  private async steadily<T>(run: () => Promise<T>): Promise<T> {
    for (let attempt = 1; ; attempt++) {
      try {
        return await run();
      } catch (error) {
        if (attempt === MAX_TRIES || !(error instanceof SegmentGoneError)) throw error;
      }
    }
  }
}

function refsIn(condition: Condition): string[] {
  if (condition.kind === 'pattern') return [condition.ref];
  if (condition.kind === 'not') return refsIn(condition.term);
  return condition.kind === 'and' || condition.kind === 'or' ? condition.terms.flatMap(refsIn) : [];
}

const cursorOf = ({ micros, seq }: Place): string => Buffer.from(`${micros}:${seq}`).toString('base64url');

function placeOf(cursor: string): Place {
  const match = /^(-?\d+):(\d+)$/.exec(Buffer.from(cursor, 'base64url').toString());
  if (!match) throw badRequest('cursor', 'The cursor is not one that a search has answered.');
  return { micros: Number(match[1]), seq: Number(match[2]) };
}

function recordBody(record: FetchedRecord, patterns: Patterns): LogRecord {
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

function patternBody(row: PatternRow, spans: Spans, sentence: SentencePart[], name?: string): PatternSummary {
  const {
    id,
    focus,
    baseline,
    earlier,
    change,
    lift,
    surprise,
    levels,
    services,
    first,
    last,
    trend,
    baselineTrend,
  } = row;
  return {
    id,
    sentence,
    focus,
    baseline,
    earlier,
    expected: spans.baseline > 0 ? (baseline * spans.focus) / spans.baseline : 0,
    change,
    ...(lift !== undefined && { lift }),
    surprise,
    level: LEVELS[levels.indexOf(Math.max(...levels))]!,
    services: [...services].sort(([, a], [, b]) => b - a).map(([service]) => service),
    firstSeen: momentText(first),
    lastSeen: momentText(last),
    trend,
    baselineTrend,
    ...(name !== undefined && { name }),
    ...(row.mark && { mark: { kind: row.mark.kind, reason: row.mark.reason, weight: row.mark.weight } }),
  };
}

/** Values in a sentence are examples; a stack trace would drown it. */
const MAX_EXAMPLE = 200;

/** The pattern's sentence with the values of its newest record in the gaps. */
function sentenceBody(sample: FetchedRecord, patterns: Patterns): SentencePart[] {
  const pattern = patterns.all().get(patterns.idOf(sample.layout))!;
  const layout = pattern.layouts.find(({ id }) => id === sample.layout)!;
  return sentenceOf(patterns.slotsOf(pattern), layout, sample.slotValues).map((part) =>
    'text' in part ? part : { slot: part.slot.slice(0, MAX_EXAMPLE), type: SLOT_NAMES[part.type] },
  );
}
