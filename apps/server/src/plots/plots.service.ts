import type {
  AggregateName,
  GhostName,
  PlotAnswer,
  RequestFigureName,
  SeriesLine,
  SeriesSource,
  SummaryColumn,
} from '@flail/contract';
import { parseQuery, type Window } from '@flail/core';
import { deviationOf, hiddenInAverage } from '@flail/core/onsets';
import { limitNames, normalRange, type Regular, type Steps } from '@flail/core/series';
import { microsOf, momentText } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import { LRUCache } from 'lru-cache';
import { badRequest } from '../problems/problem.js';
import { PAST, STEP } from '../onsets/series-asked.service.js';
import { deviationBody } from '../onsets/series-source.js';
import { PatternRatesService } from '../query/pattern-rates.service.js';
import type { Asked } from '../query/planner.js';
import { QueryService } from '../query/query.service.js';
import { SummaryService } from '../query/summary.service.js';
import { RequestsService } from '../requests/requests.service.js';
import { type RegularMetric, SeriesQueryService, stepsIn } from '../series/series-query.service.js';
import { RecordStore } from '../store/record-store.js';

const DAY = 86_400_000_000;
const GHOSTS: Record<GhostName, number> = { day: DAY, week: 7 * DAY };

/** What is drawn of a source, before anything is laid beside it. */
interface Drawn {
  name: string;
  unit: string;
  aggregate?: AggregateName;
  lines: SeriesLine[];
  more: number;
  exemplars: PlotAnswer['exemplars'];
}

/** How finely it is drawn, from how many seconds before the window, and what is laid beside it. */
interface PlotWishes {
  points: number;
  lead: number;
  normal: boolean;
  ghosts: readonly GhostName[];
}

type Judgement = Pick<PlotAnswer, 'normal' | 'moved' | 'hidden'>;

/** Draws whatever has numbers over time: metrics, figures of requests, patterns, expressions. */
@Injectable()
export class PlotsService {
  constructor(
    private readonly series: SeriesQueryService,
    private readonly requests: RequestsService,
    private readonly rates: PatternRatesService,
    private readonly queries: QueryService,
    private readonly summaries: SummaryService,
    private readonly store: RecordStore,
  ) {}

  async plot(
    asked: Asked,
    source: SeriesSource,
    { points, lead, normal, ghosts }: PlotWishes,
  ): Promise<PlotAnswer> {
    const { from, to } = asked.window;
    const steps = stepsIn({ from: from - lead * 1e6, to }, points);
    const drawn = await this.draw(asked, source, steps);
    const [only] = drawn.lines.length === 1 ? drawn.lines : [];
    const [range, before, limit] = await Promise.all([
      normal && only ? this.judged(asked, source, steps) : undefined,
      Promise.all(
        (only ? ghosts : []).map(async (name) => {
          const ago = { ...steps, from: steps.from - GHOSTS[name] };
          const [line] = (await this.draw(asked, source, ago)).lines;
          return { name, values: line?.values ?? [] };
        }),
      ),
      this.limitOf(asked, source, steps, drawn),
    ]);
    return {
      ...drawn,
      from: momentText(steps.from),
      step: steps.width / 1e6,
      ...range,
      ...(before.length > 0 && { ghosts: before }),
      ...(limit && { limit }),
    };
  }

  /** A source as one line in steps of a minute, over a window and the past that tells what is normal. */
  async past(asked: Asked, source: SeriesSource, window: Window, past = PAST): Promise<Regular> {
    const steps = minutes(window, past);
    if (source.of === 'metric') return (await this.regular(asked, source, [], steps)).whole();
    const { lines } = await this.draw(asked, source, steps);
    if (lines.length > 1)
      throw badRequest('several-lines', 'This needs a single line; leave out what it is grouped by.');
    return regularOf(steps, lines[0]?.values ?? []);
  }

  /** What was judged last: eight days of all members are read for it, and hardly change within a minute. */
  private readonly judgements = new LRUCache<string, Promise<Judgement>>({ max: 100, ttl: 60_000 });

  private judged(asked: Asked, source: SeriesSource, steps: Steps): Promise<Judgement> {
    const { dataset, asker, window, scope } = asked;
    const until = this.store.shownUntil(dataset);
    const key = JSON.stringify([dataset.key, until, asker.services, window, scope, source, steps]);
    let judgement = this.judgements.get(key);
    if (!judgement) {
      judgement = this.judge(asked, source, steps);
      this.judgements.set(key, judgement);
      // What failed is tried again.
      judgement.catch(() => this.judgements.delete(key));
    }
    return judgement;
  }

  /** What is normal at each step, whether the line left it in the window, and whom it may hide. */
  private async judge(asked: Asked, source: SeriesSource, steps: Steps): Promise<Judgement> {
    const { whole, members } = await this.wholeAndMembers(asked, source);
    const focus = { from: asked.window.from / 1e6, to: asked.window.to / 1e6 };
    const before = whole.values.slice(
      0,
      Math.max(0, Math.round((steps.from / 1e6 - whole.from) / whole.step)),
    );
    const range = normalRange({ ...whole, values: before });
    if (!range) return {};
    const at = Array.from({ length: steps.count }, (_, step) =>
      range.at((steps.from + (step + 0.5) * steps.width) / 1e6),
    );
    // What was never below nothing is not expected to be.
    const least = before.some((value) => value < 0) ? -Infinity : 0;
    const moved = deviationOf(whole, focus);
    const hidden = hiddenInAverage(
      members.flatMap(({ member, series }) => {
        const deviation = deviationOf(series, focus);
        return deviation ? [{ member, deviation }] : [];
      }),
      moved,
    );
    return {
      normal: { low: at.map(({ low }) => Math.max(least, low)), high: at.map(({ high }) => high) },
      ...(moved && { moved: deviationBody(moved) }),
      ...(hidden && { hidden: { member: hidden.member, ...deviationBody(hidden.deviation) } }),
    };
  }

  /** The past of a source, and that of each instance where it is an average over them: that may hide one. */
  private async wholeAndMembers(
    asked: Asked,
    source: SeriesSource,
  ): Promise<{ whole: Regular; members: { member: string; series: Regular }[] }> {
    const { dataset, asker, window } = asked;
    const isAverage =
      source.of === 'metric' &&
      (source.aggregate ?? 'avg') === 'avg' &&
      this.series.kindOf(dataset, asker, source.metric) === 'gauge';
    if (!isAverage) return { whole: await this.past(asked, source, window), members: [] };
    const { lines, more, whole } = await this.regular(asked, source, ['instance'], minutes(window, PAST));
    // Of more than can be told apart all are read as one.
    if (more > 0) return { whole: await this.past(asked, source, window), members: [] };
    const members = lines.map(({ labels, as }) => ({ member: labels.instance ?? '', series: as('max') }));
    return { whole: whole(), members: members.length > 1 ? members : [] };
  }

  private regular(
    { dataset, asker }: Asked,
    { metric, where = {}, aggregate }: Extract<SeriesSource, { of: 'metric' }>,
    by: readonly string[],
    steps: Steps,
  ): Promise<RegularMetric> {
    return this.series.regular(dataset, asker, { metric, where, by, aggregate, steps });
  }

  private draw(asked: Asked, source: SeriesSource, steps: Steps): Promise<Drawn> {
    switch (source.of) {
      case 'metric':
        return this.metric(asked, source, steps);
      case 'requests':
        return this.figures(asked, source, steps);
      case 'pattern':
        return this.pattern(asked, source.pattern, steps);
      case 'expression':
        return this.expression(asked, source.expression, steps);
    }
  }

  private async metric(
    { dataset, asker }: Asked,
    { metric, where = {}, by = [], aggregate }: Extract<SeriesSource, { of: 'metric' }>,
    steps: Steps,
  ): Promise<Drawn> {
    const answer = await this.series.query(dataset, asker, { metric, where, by, aggregate, steps });
    const { unit, lines, more, exemplars } = answer;
    const perSecond = answer.aggregate === 'rate';
    return {
      name: metric,
      unit: perSecond ? `${answer.kind === 'histogram' ? '' : unit}/s` : unit,
      aggregate: answer.aggregate,
      lines,
      more,
      exemplars,
    };
  }

  private async limitOf(
    { dataset, asker }: Asked,
    source: SeriesSource,
    steps: Steps,
    drawn: Drawn,
  ): Promise<PlotAnswer['limit']> {
    if (source.of !== 'metric') return undefined;
    const metric = limitNames(source.metric).find(
      (name) => this.series.kindOf(dataset, asker, name) !== undefined,
    );
    if (metric === undefined) return undefined;
    const where = source.where ?? {};
    const aggregate = source.aggregate === 'sum' ? 'sum' : 'min';
    const { lines } = await this.series.query(dataset, asker, { metric, where, by: [], aggregate, steps });
    const values = lines[0]?.values;
    if (!values) return undefined;
    const shares = drawn.lines.flatMap((line) =>
      (line.max ?? line.values).flatMap((value, at) => {
        const most = values[at] ?? null;
        return value === null || most === null || most <= 0 ? [] : [value / most];
      }),
    );
    return { metric, values, ...(shares.length > 0 && { used: Math.max(...shares) }) };
  }

  private async figures(
    asked: Asked,
    { figure, service, operation }: Extract<SeriesSource, { of: 'requests' }>,
    steps: Steps,
  ): Promise<Drawn> {
    const window = windowOf(steps);
    const found = await this.requests.ofSeries(
      { ...asked, window },
      {
        kind: 'figures',
        ...(service !== undefined && { service }),
        ...(operation !== undefined && { operation }),
        steps,
      },
    );
    const [of, what, unit] = FIGURES[figure];
    const name = [what, operation, service].filter((part) => part !== undefined).join(', ');
    return { ...alone(name, unit, found[of].slice(0, steps.count)) };
  }

  private async pattern(asked: Asked, pattern: string, steps: Steps): Promise<Drawn> {
    const rates = await this.rates.rates(asked, [pattern], steps);
    const perMinute = 60e6 / steps.width;
    const { values } = rates.get(pattern)!;
    return alone(
      `pattern ${pattern}`,
      'lines/min',
      Array.from(values, (count) => count * perMinute),
    );
  }

  private async expression(asked: Asked, expression: string, steps: Steps): Promise<Drawn> {
    const window = windowOf(steps);
    const { steps: after } = parseQuery(expression);
    const [first] = after;
    if (!first) {
      const { total } = await this.queries.volume({ ...asked, window, scope: expression }, steps.count);
      const perMinute = 60e6 / steps.width;
      const counts = Array.from({ length: steps.count }, (_, at) => (total[at] ?? 0) * perMinute);
      return alone(expression === '' ? 'all records' : expression, 'lines/min', counts);
    }
    if (after.length > 1 || first.kind !== 'summary')
      throw badRequest(
        'plot',
        'A plot draws one measure over time: a filter, and at most one step after it.',
      );
    const timed = first.every === undefined ? `${expression} every ${steps.width / 1e6}s` : expression;
    const answer = await this.summaries.summary({ ...asked, window }, timed);
    return { name: expression, exemplars: [], ...linesOf(answer.columns, answer.rows, steps) };
  }
}

const FIGURES: Record<
  RequestFigureName,
  [of: 'rate' | 'failedShare' | 'p50' | 'p95', what: string, unit: string]
> = {
  rate: ['rate', 'requests', '/min'],
  failed: ['failedShare', 'share that fails', 'share'],
  p50: ['p50', 'median duration', 's'],
  p95: ['p95', 'p95 duration', 's'],
};

/** Steps of a minute over a window and so much time before it. */
function minutes(window: Window, past: number): Steps {
  const from = Math.floor((window.from - past) / STEP) * STEP;
  return { from, width: STEP, count: Math.ceil((window.to - from) / STEP) };
}

const regularOf = ({ from, width, count }: Steps, values: SeriesLine['values']): Regular => ({
  from: from / 1e6,
  step: width / 1e6,
  values: Array.from({ length: count }, (_, at) => values[at] ?? NaN),
});

const windowOf = ({ from, width, count }: Steps): Window => ({ from, to: from + width * count });

const known = (value: number): number | null => (Number.isFinite(value) ? value : null);

const alone = (name: string, unit: string, values: readonly number[]): Drawn => ({
  name,
  unit,
  lines: [{ labels: {}, members: 1, values: values.map(known) }],
  more: 0,
  exemplars: [],
});

/** Lines that can be told apart. */
const MOST_LINES = 50;

/** The table of a summary as lines, one for each group and measure. */
function linesOf(
  columns: readonly SummaryColumn[],
  rows: readonly (readonly (string | number | null)[])[],
  steps: Steps,
): Pick<Drawn, 'unit' | 'lines' | 'more'> {
  const time = columns.findIndex(({ kind }) => kind === 'time');
  const groups = columns.flatMap(({ kind }, at) => (kind === 'group' ? [at] : []));
  const values = columns.flatMap(({ kind }, at) => (kind === 'value' ? [at] : []));
  const found = new Map<string, SeriesLine>();
  for (const row of rows) {
    const at = Math.floor((microsOf(String(row[time])) - steps.from) / steps.width);
    if (at < 0 || at >= steps.count) continue;
    for (const value of values) {
      const labels = Object.fromEntries(
        groups.map((group) => [columns[group]!.name, String(row[group] ?? '')]),
      );
      if (values.length > 1) labels.measure = columns[value]!.name;
      const key = JSON.stringify(labels);
      let line = found.get(key);
      if (!line)
        found.set(key, (line = { labels, members: 1, values: new Array<null>(steps.count).fill(null) }));
      const cell = row[value];
      line.values[at] = typeof cell === 'number' ? cell : null;
    }
  }
  const size = ({ values: own }: SeriesLine): number => own.reduce<number>((sum, one) => sum + (one ?? 0), 0);
  const lines = [...found.values()].sort((a, b) => size(b) - size(a));
  return {
    unit: String(columns[values[0]!]?.unit ?? ''),
    lines: lines.slice(0, MOST_LINES),
    more: Math.max(0, lines.length - MOST_LINES),
  };
}
