import type {
  ContrastNews,
  MissingRecords,
  RequestAnswer,
  RequestPreset,
  RequestsAnalysisAnswer,
  RequestsSearchAnswer,
  RequestsWayAnswer,
  SuspectAnswer,
  TwinAnswer,
} from '@flail/contract';
import { ALL, type Condition, overlaps, parseExpression, type Window } from '@flail/core';
import { Injectable } from '@nestjs/common';
import { granted } from '../access/asker.js';
import { RunsService } from '../runs/runs.service.js';
import { notFound } from '../problems/problem.js';
import { missingBody, noEffort } from '../query/missing.js';
import { type Asked, Planner } from '../query/planner.js';
import { QueryService } from '../query/query.service.js';
import type { BrokenSegment } from '../query/lane-tasks.js';
import type { CohortAsked } from '../contrast/cohorts.js';
import type { ContrastFound, ContrastQuestion } from '../contrast/contrast-requests.js';
import { PAST } from '../onsets/series-asked.service.js';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { AnalysisPool } from './analysis-pool.js';
import type {
  AnalysisQuestion,
  Body,
  ByFieldQuestion,
  ListQuestion,
  OverviewQuestion,
  SuspectQuestion,
  RequestsAnswers,
  RequestsQuestion,
  Subject,
} from './analysis-tasks.js';

/** Microseconds around a window in which records of its requests may lie. */
const REACH = 600_000_000;
/** Microseconds around a request in which runs may have to do with it. */
const AROUND = 3_600_000_000;
/** Lines of one request that are sent, at most. */
const MOST_LINES = 1000;

/** Answers questions about requests: says of which records they are made, and puts them to the thread that looks into them. */
@Injectable()
export class RequestsService {
  constructor(
    private readonly store: RecordStore,
    private readonly planner: Planner,
    private readonly queries: QueryService,
    private readonly pool: AnalysisPool,
    private readonly runs: RunsService,
  ) {}

  async search(asked: Asked, question: Omit<ListQuestion, 'kind'>): Promise<RequestsSearchAnswer> {
    const { value, missing } = await this.ask(asked, { kind: 'list', ...question });
    return { ...value, ...missing };
  }

  async analysis(asked: Asked, question: Omit<AnalysisQuestion, 'kind'>): Promise<RequestsAnalysisAnswer> {
    const { value, missing } = await this.ask(asked, { kind: 'analysis', ...question });
    return { ...value, ...missing };
  }

  /** Which values of a field go wrong. */
  async byField(
    asked: Asked,
    question: Omit<ByFieldQuestion, 'kind'>,
  ): Promise<RequestsAnswers['by field'] & { missing?: MissingRecords }> {
    const { value, missing } = await this.ask(asked, { kind: 'by field', ...question });
    return { ...value, ...missing };
  }

  async overview(
    asked: Asked,
    question: Omit<OverviewQuestion, 'kind'>,
  ): Promise<RequestsAnswers['overview'] & { missing?: MissingRecords }> {
    const { value, missing } = await this.ask(asked, { kind: 'overview', ...question });
    return { ...value, ...missing };
  }

  async way(asked: Asked, preset: RequestPreset): Promise<RequestsWayAnswer> {
    const { value, missing } = await this.ask(asked, { kind: 'way', preset });
    return { ...value, ...missing };
  }

  async suspect(asked: Asked, question: Omit<SuspectQuestion, 'kind'>): Promise<SuspectAnswer> {
    const { value, missing } = await this.ask(asked, { kind: 'suspect', ...question });
    return { ...value, ...missing };
  }

  /** A question that looks through all series; `past` microseconds before the window are looked at as well. */
  async ofSeries<K extends 'onsets' | 'moved with' | 'figures' | 'contrast runs'>(
    asked: Asked,
    question: Extract<RequestsQuestion, { kind: K }>,
    past = 0,
  ): Promise<RequestsAnswers[K]> {
    const { value } = await this.ask(asked, question, past);
    return value;
  }

  /** Two cohorts of requests told apart; each with a window and a filter of its own. */
  contrast(
    asked: Asked,
    cohorts: readonly [CohortWanted, CohortWanted],
    question: Omit<ContrastQuestion, 'kind' | 'first' | 'second'>,
    told?: (news: ContrastNews) => void,
  ): Promise<{ value: ContrastFound; missing: ReturnType<typeof missingBody> }> {
    return this.planner.steadily(async () => {
      const spans = await this.store.spansOf(asked.dataset);
      const windows = cohorts.map(({ window }) => window);
      const [first, second] = await Promise.all(
        cohorts.map(async ({ window, scope, ...cohort }): Promise<CohortAsked> => ({
          ...cohort,
          subject: await this.subject({ ...asked, window, scope }, spans, 0),
        })),
      );
      const reach = {
        from: Math.min(...windows.map((one) => one.from)),
        to: Math.max(...windows.map((one) => one.to)),
      };
      const base = await this.subject(asked, spans, Math.max(0, asked.window.from - reach.from));
      const subject: Subject = {
        ...base,
        spans: widest(base.spans, first!.subject.spans, second!.subject.spans),
        logs: widest(base.logs, first!.subject.logs, second!.subject.logs),
      };
      const { value, broken } = await this.pool.ask<'contrast'>(
        subject,
        { ...question, kind: 'contrast', first: first!, second: second! },
        told,
      );
      return { value, missing: missingIn(spans, asked.dataset, broken) };
    });
  }

  async one(asked: Asked, trace: string): Promise<RequestAnswer> {
    const { value } = await this.ask(wherever(asked), { kind: 'one', trace });
    if (!value) throw noSuchRequest(trace);
    const scope = `trace = "${trace}"`;
    const { records } = await this.queries.search({ ...asked, scope }, 'oldest', MOST_LINES);
    return { ...value, logs: records };
  }

  async twin(asked: Asked, trace: string): Promise<TwinAnswer> {
    const unscoped = wherever(asked);
    const { value: at } = await this.ask(unscoped, { kind: 'moment', trace });
    if (at === null) throw noSuchRequest(trace);
    const around = { from: at - AROUND, to: Math.min(at + AROUND, this.store.shownUntil(asked.dataset)) };
    const runs = await this.runs.ran(asked.dataset, asked.asker, around);
    const { value } = await this.ask(unscoped, { kind: 'twin', trace, runs });
    if (!value) throw noSuchRequest(trace);
    return value;
  }

  private ask<K extends RequestsQuestion['kind']>(
    asked: Asked,
    question: Extract<RequestsQuestion, { kind: K }>,
    past = question.kind === 'overview' ? PAST : 0,
  ): Promise<{ value: RequestsAnswers[K]; missing: ReturnType<typeof missingBody> }> {
    return this.planner.steadily(async () => {
      const spans = await this.store.spansOf(asked.dataset);
      const subject = await this.subject(asked, spans, past);
      const { value, broken } = await this.pool.ask<K>(subject, question);
      return { value, missing: missingIn(spans, asked.dataset, broken) };
    });
  }

  /** @param past microseconds before the window that are looked at as well */
  private async subject(asked: Asked, spans: Dataset, past: number): Promise<Subject> {
    const { asker, dataset, window, baseline } = asked;
    const scope: Condition = parseExpression(asked.scope);
    const { patterns, slots } = await this.planner.scoped(asked, scope);
    const windows = [{ from: window.from - past, to: window.to }];
    if (baseline) windows.push(baseline);
    const body = (own: Dataset, more: Omit<Body, 'segments'>): Body => ({
      segments: segmentsAround(own, windows),
      ...more,
    });
    return {
      window,
      ...(baseline && { baseline }),
      until: this.store.shownUntil(dataset),
      visible: granted(asker, ALL),
      scope,
      spans: body(spans, { patterns: new Map() }),
      logs: body(dataset, { patterns, ...(slots && { slots }) }),
    };
  }
}

/** What is wanted of a cohort, before it is known of which records it is made. */
export type CohortWanted = Omit<CohortAsked, 'subject'> & { window: Window; scope: string };

/** A body with the segments of others. */
const widest = (body: Body, ...others: Body[]): Body => ({
  ...body,
  segments: [...new Set([body, ...others].flatMap(({ segments }) => segments))],
});

/** One request is found in all the time held, whatever the scope. */
const wherever = (asked: Asked): Asked => ({ ...asked, window: { from: 0, to: Infinity }, scope: '' });

const noSuchRequest = (trace: string) =>
  notFound('no-such-request', `No span of a request "${trace}" is held.`);

const segmentsAround = ({ segments }: Dataset, windows: readonly Window[]): number[] =>
  segments
    .filter(({ from, to }) =>
      windows.some((window) => overlaps({ from: window.from - REACH, to: window.to + REACH }, from, to)),
    )
    .map(({ id }) => id);

function missingIn(
  spans: Dataset,
  logs: Dataset,
  broken: readonly BrokenSegment[],
): ReturnType<typeof missingBody> {
  const effort = { ...noEffort(), broken: [...broken] };
  return missingBody({ ...spans, segments: [...spans.segments, ...logs.segments] }, effort);
}
