import type { FieldsAnswer, FieldsNews, HowAnswered, RegularityAnswer, SummaryAnswer } from '@flail/contract';
import {
  addFieldCounts,
  addSummary,
  applyStep,
  emptySummary,
  ExpressionError,
  type FieldCounts,
  fieldDifferences,
  MAX_EVENTS,
  parseQuery,
  type Patterns,
  rekeyed,
  regularityOf,
  stepsIn,
  type Summary,
  summaryTable,
  type Table,
  UnknownColumnError,
} from '@flail/core';
import { Injectable } from '@nestjs/common';
import { badRequest } from '../problems/problem.js';
import { missingBody, noEffort } from './missing.js';
import { momentText } from '@flail/core/time';
import { type Asked, Planner } from './planner.js';
import { QueryPool } from './query-pool.js';
import { sampleFirst } from './sample-first.js';

const COUNT: Summary = { kind: 'summary', measures: [{ name: 'count', column: 'count' }], by: [] };
const MAX_STEPS = 20_000;
const MAX_ROWS = 10_000;

/** Answers questions whose answer is a table or a figure: summaries, differences of fields, regularity. */
@Injectable()
export class SummaryService {
  constructor(
    private readonly pool: QueryPool,
    private readonly planner: Planner,
  ) {}

  /** The table that an expression with steps makes of each window. */
  async summary(asked: Omit<Asked, 'scope'>, expression: string): Promise<SummaryAnswer> {
    const began = performance.now();
    const { filter, steps } = parseQuery(expression);
    const [first, ...rest] = steps[0]?.kind === 'summary' ? steps : [COUNT, ...steps];
    const summary = first as Summary;
    const again = rest.find((step) => step.kind === 'summary');
    if (again) {
      const message = 'Only the first step measures; those after it filter, sort or cut its table.';
      throw new ExpressionError(expression, { from: 0, to: expression.length, message });
    }
    const windows = [asked.window, ...(asked.baseline ? [asked.baseline] : [])];
    for (const window of windows) {
      if (summary.every !== undefined && stepsIn(window, summary.every) > MAX_STEPS)
        throw badRequest('too-many-steps', `The window has more than ${MAX_STEPS} steps of this length.`);
    }
    const fields = [...summary.by, ...summary.measures.flatMap(({ of }) => (of ? [of] : []))].map(
      ({ field }) => field,
    );
    const byPattern = summary.by.some(({ field, call }) => field === 'pattern' && !call);
    const whole = { ...asked, scope: '' };
    const plan = await this.planner.scoped(whole, filter, fields);
    const grouping = byPattern ? (await this.planner.plan(whole)).grouping : undefined;
    return this.planner.steadily(async () => {
      const effort = noEffort();
      const segments = this.planner.segmentsIn(asked.dataset, ...windows);
      const sums = windows.map(emptySummary);
      const question = { kind: 'summary', windows, summary } as const;
      for (const part of await this.pool.ask(question, plan, segments, asked.signal, effort)) {
        part.forEach((own, at) => addSummary(sums[at]!, own));
      }
      const tables = sums.map((sum, at) => {
        let table = summaryTable(
          grouping ? byPatterns(sum, summary, grouping.patterns) : sum,
          summary,
          windows[at]!,
        );
        for (const step of rest) if (step.kind !== 'summary') table = stepped(table, step, at === 1);
        return table;
      });
      const [table, before] = tables as [Table, Table | undefined];
      const how: HowAnswered = {
        segments: effort.segments,
        skipped: asked.dataset.segments.length - segments.length,
        blocks: effort.blocks,
        bytes: effort.bytes,
        patterns: plan.patterns.size,
        milliseconds: Math.round(performance.now() - began),
      };
      return {
        columns: table.columns,
        rows: rowsBody(table),
        matched: sums[0]!.total,
        ...missingBody(asked.dataset, effort),
        ...(before && { baselineRows: rowsBody(before), baselineMatched: sums[1]!.total }),
        ...(sums[0]!.left > 0 && { left: sums[0]!.left }),
        ...(table.rows.length > MAX_ROWS && { cut: table.rows.length }),
        how,
      };
    });
  }

  /**
   * Fields in the order of how much they differ between the windows. Who waits is told of them by what was counted so
   * far, of segments from here and there first, so that it is a fair sample: as soon as some of both windows is
   * counted, then whenever there is twice as much.
   */
  async fields(asked: Asked, limit: number, tell?: (news: FieldsNews) => void): Promise<FieldsAnswer> {
    const { dataset, window: focus, baseline } = asked;
    if (!baseline)
      throw badRequest('no-baseline', 'Give a baseline: fields are ordered by how they differ from it.');
    const plan = await this.planner.scoped(asked);
    return this.planner.steadily(async () => {
      const counts = new Map<string, FieldCounts>();
      const question = { kind: 'differences', focus, baseline } as const;
      const segments = this.planner.segmentsIn(dataset, focus, baseline);
      const effort = noEffort();
      let next = 1;
      const add = (part: Map<string, FieldCounts>, { length: left }: readonly number[]): void => {
        addFieldCounts(counts, part);
        const done = segments.length - left;
        if (!tell || left === 0 || done < next || !isOfBoth(counts)) return;
        next = 2 * done;
        tell({ done, total: segments.length, fields: fieldDifferences(counts, limit) });
      };
      await this.pool.ask(question, plan, sampleFirst(segments), asked.signal, effort, add);
      return { fields: fieldDifferences(counts, limit), ...missingBody(dataset, effort) };
    });
  }

  /** Whether the records of a selection come at regular intervals. */
  async regularity(asked: Asked): Promise<RegularityAnswer> {
    const plan = await this.planner.scoped(asked);
    return this.planner.steadily(async () => {
      const question = { kind: 'moments', window: asked.window, limit: MAX_EVENTS } as const;
      const segments = this.planner.segmentsIn(asked.dataset, asked.window);
      const parts = await this.pool.ask(question, plan, segments, asked.signal);
      const times = parts.flat().sort((a, b) => a - b);
      const { period, jitter, missed, ...found } = regularityOf(times);
      return {
        ...found,
        ...(period !== undefined && { period: period / 1e6 }),
        ...(jitter !== undefined && { jitter: jitter / 1e6 }),
        ...(missed && { missed: missed.map(momentText) }),
      };
    });
  }
}

/** Whether records of both windows are among what was counted. */
function isOfBoth(counts: ReadonlyMap<string, FieldCounts>): boolean {
  const all = [...counts.values()];
  return all.some(({ focus }) => focus > 0) && all.some(({ baseline }) => baseline > 0);
}

/** Where layouts stand for their patterns, the patterns. */
function byPatterns(sum: ReturnType<typeof emptySummary>, summary: Summary, patterns: Patterns): typeof sum {
  const at = summary.by.findIndex(({ field, call }) => field === 'pattern' && !call);
  if (at < 0) return sum;
  return rekeyed(sum, (key) =>
    key.map((value, index) => (index === at && value !== undefined ? patterns.idOf(Number(value)) : value)),
  );
}

function stepped(table: Table, step: Parameters<typeof applyStep>[1], whole: boolean): Table {
  // The baseline's rows answer those of the focus; they are not cut by themselves.
  if (whole) return table;
  try {
    return applyStep(table, step);
  } catch (error) {
    if (error instanceof UnknownColumnError) throw badRequest(error.code, error.message);
    throw error;
  }
}

/** Moments as texts. */
function rowsBody({ columns, rows }: Table): (string | number | null)[][] {
  const time = columns.findIndex(({ kind }) => kind === 'time');
  return rows
    .slice(0, MAX_ROWS)
    .map((row) => row.map((cell, at) => (at === time && typeof cell === 'number' ? momentText(cell) : cell)));
}
