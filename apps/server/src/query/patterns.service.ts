import type {
  FieldDifferenceBody,
  PatternAnswer,
  PatternChange,
  PatternJoin,
  PatternsSearchAnswer,
  PatternSummary,
  SentencePart,
} from '@flail/contract';
import {
  addFieldCounts,
  addPackedCounts,
  addPackedHistories,
  type CountKey,
  type FieldCounts,
  fieldDifferences,
  type Layout,
  type LayoutCounts,
  type LayoutHistory,
  layoutsToLookBack,
  LEVELS,
  marksAt,
  partsOfKey,
  type Pattern,
  type PatternOrder,
  type PatternRow,
  type Patterns,
  patternTable,
  sentenceOf,
  SLOT_NAMES,
  type Spans,
  splitPlaces,
  stretchOf,
} from '@flail/core';
import { Injectable } from '@nestjs/common';
import { RulesService } from '../grouping/rules.service.js';
import { notFound } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';
import type { Answers, BriefRecord, Question } from './lane-tasks.js';
import { missingBody, noEffort } from './missing.js';
import { momentText } from '@flail/core/time';
import { type Asked, Planner } from './planner.js';
import { QueryPool } from './query-pool.js';
import { plainSentence } from './sentences.js';

const VALUES_SHOWN = 50;
const JOINS_SHOWN = 200;

/** Answers questions about patterns: which there are, what is in their slots, what joined into them. */
@Injectable()
export class PatternsService {
  constructor(
    private readonly store: RecordStore,
    private readonly pool: QueryPool,
    private readonly planner: Planner,
    private readonly rules: RulesService,
  ) {}

  async search(
    asked: Asked,
    order: PatternOrder,
    limit: number,
    grain?: number,
  ): Promise<PatternsSearchAnswer> {
    const plan = await this.planner.plan(asked);
    const { dataset, window: focus, baseline } = asked;
    return this.planner.steadily(async () => {
      const effort = noEffort();
      const ask = <K extends 'patterns' | 'history'>(
        question: Extract<Question, { kind: K }>,
        segments: number[],
      ): Promise<Answers[K][]> => this.pool.ask<K>(question, plan, segments, asked.signal, effort);
      const splits = splitPlaces(plan.grouping.patterns);
      const counts = new Map<CountKey, LayoutCounts>();
      const windows = { kind: 'patterns', focus, ...(baseline && { baseline }), splits } as const;
      for (const part of await ask<'patterns'>(
        windows,
        this.planner.segmentsIn(dataset, focus, ...(baseline ? [baseline] : [])),
      ))
        addPackedCounts(counts, part);
      // All that was held before the focus is looked at: only so is "first seen" a fact.
      const heldFrom = Math.min(this.store.shown(dataset)?.from ?? focus.from, focus.from);
      const stretch = stretchOf(focus, heldFrom);
      const before = dataset.segments.filter(({ from }) => from < focus.from).map(({ id }) => id);
      const histories = new Map<CountKey, LayoutHistory>();
      const present = [...counts.keys()].map((key) => partsOfKey(key).layout);
      const own = plan.grouping.patterns;
      const patterns = grain === undefined ? own : plan.grouping.cut(grain, present);
      const layouts = layoutsToLookBack(counts, patterns);
      for (const part of await ask<'history'>({ kind: 'history', focus, stretch, layouts, splits }, before))
        addPackedHistories(histories, part);
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
      const names = plan.grouping.namesOf;
      const samples = await this.pool.fetchBrief(
        shown.map(({ sample }) => ({ segment: Number(sample!.segment), row: sample!.row })),
      );
      const changes = eachChange(() => 0);
      const changedRecords = eachChange(() => ({ focus: 0, baseline: 0 }));
      for (const row of rows) {
        changes[row.change]++;
        changedRecords[row.change].focus += row.focus;
        changedRecords[row.change].baseline += row.baseline;
      }
      return {
        patterns: shown.map((row, index) =>
          patternBody(row, spans, sentenceBody(samples[index]!, patterns), names.get(row.id)),
        ),
        grain: { patterns: all.length, own: new Set(present.map((id) => own.idOf(id))).size },
        muted: { patterns: muted.length, focus: muted.reduce((sum, row) => sum + row.focus, 0) },
        total: rows.length,
        ...missingBody(dataset, effort),
        matched: {
          focus: rows.reduce((sum, row) => sum + row.focus, 0),
          baseline: rows.reduce((sum, row) => sum + row.baseline, 0),
        },
        changes,
        changedRecords,
      };
    });
  }

  /** One pattern: its slots with their values in both windows, and what joined into it. */
  async pattern(asked: Asked, ref: string): Promise<PatternAnswer> {
    const { dataset, window: focus, baseline } = asked;
    const slotFields = Array.from({ length: MAX_SLOTS_SHOWN }, (_, at) => `slot.${at + 1}`);
    const { grouping } = await this.planner.plan({ ...asked, scope: '' });
    const { patterns } = grouping;
    const [id] = (grouping.named(ref) ?? ref).split(':');
    const found = patterns.find(id!);
    const pattern = found && (await this.visible(asked, found));
    if (!pattern) throw notFound('no-such-pattern', `There is no pattern "${ref}" in this data set.`);
    const condition = { kind: 'pattern', ref } as const;
    const { types, names } = patterns.slotsOf(pattern);
    const fields = slotFields.slice(0, types.length);
    const plan = await this.planner.plan(asked, condition, fields.length > 0 ? fields : []);
    return this.planner.steadily(async () => {
      const counts = new Map<string, FieldCounts>();
      if (fields.length > 0) {
        const question = {
          kind: 'differences',
          focus,
          baseline: baseline ?? { from: 0, to: 0 },
          fields,
        } as const;
        const segments = this.planner.segmentsIn(dataset, focus, ...(baseline ? [baseline] : []));
        for (const part of await this.pool.ask(question, plan, segments, asked.signal))
          addFieldCounts(counts, part);
      }
      const differences = new Map(
        fieldDifferences(counts, VALUES_SHOWN).map((field) => [field.field, field]),
      );
      const slots = fields.map((field, at) => {
        const found = differences.get(field);
        const none: FieldDifferenceBody = {
          field,
          focus: 0,
          baseline: 0,
          distinct: 0,
          identifier: false,
          divergence: 0,
          values: [],
        };
        return { type: SLOT_NAMES[types[at]!], name: names[at]!, ...(found ? found : none) };
      });
      const sentence = (layout: Layout): SentencePart[] => plainSentence(layout);
      const next = asked.asker.services === 'all' ? grouping.nextFor(pattern) : undefined;
      const name = grouping.namesOf.get(pattern.id);
      return {
        id: pattern.id,
        ...(name !== undefined && { name }),
        sentence: sentence(pattern.layouts[0]!),
        forms: pattern.layouts.length,
        slots,
        joined: grouping
          .joinsOf(pattern)
          .slice(0, JOINS_SHOWN)
          .map(({ a, b, belief, reason }): PatternJoin => ({
            layout: dataset.identities.of(b),
            sentence: sentence(dataset.layouts[b]!),
            to: sentence(dataset.layouts[a]!),
            belief,
            reason,
          })),
        ...(next && {
          next: {
            pattern: patterns.idOf(next.layout),
            sentence: sentence(dataset.layouts[next.layout]!),
            likeness: next.likeness,
          },
        }),
      };
    });
  }

  /** The pattern with only those of its layouts that the asker may see records of; undefined where there are none. */
  private async visible(asked: Asked, pattern: Pattern): Promise<Pattern | undefined> {
    if (asked.asker.services === 'all') return pattern;
    const plan = await this.planner.plan(asked, { kind: 'pattern', ref: pattern.id });
    const question = {
      kind: 'patterns',
      focus: { from: -Infinity, to: Infinity },
      splits: new Map(),
    } as const;
    const seen = new Set<CountKey>();
    const segments = asked.dataset.segments.map((segment) => segment.id);
    for (const part of await this.pool.ask(question, plan, segments, asked.signal))
      for (const key of part.keys) seen.add(key);
    const layouts = pattern.layouts.filter((layout) => seen.has(layout.id));
    return layouts.length === 0 ? undefined : { ...pattern, layouts };
  }
}

const MAX_SLOTS_SHOWN = 40;

const eachChange = <T>(value: () => T): Record<PatternChange, T> => ({
  'first seen': value(),
  'new here': value(),
  ceased: value(),
  more: value(),
  less: value(),
  'as before': value(),
});

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
function sentenceBody(sample: BriefRecord, patterns: Patterns): SentencePart[] {
  const pattern = patterns.all().get(patterns.idOf(sample.layout))!;
  const layout = pattern.layouts.find(({ id }) => id === sample.layout)!;
  return sentenceOf(patterns.slotsOf(pattern), layout, sample.slotValues).map((part) =>
    'text' in part ? part : { slot: part.slot.slice(0, MAX_EXAMPLE), type: SLOT_NAMES[part.type] },
  );
}
