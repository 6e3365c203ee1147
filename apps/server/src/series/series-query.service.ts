import type {
  AggregateName,
  MetricsQueryAnswer,
  MetricsSearchAnswer,
  MetricSummary,
  SeriesLine,
} from '@flail/contract';
import type { Window } from '@flail/core';
import {
  addSteps,
  type Aggregate,
  aggregate,
  emptySteps,
  type Regular,
  type SeriesKind,
  type Stepped,
  type Steps,
} from '@flail/core/series';
import { Injectable } from '@nestjs/common';
import { Op } from 'sequelize';
import type { Asker } from '../access/asker.js';
import { ExemplarModel } from '../database/models.js';
import { momentText } from '@flail/core/time';
import type { Effort } from '../query/lane-tasks.js';
import { missingPoints, noEffort } from '../query/missing.js';
import { QueryPool } from '../query/query-pool.js';
import { notFound } from '../problems/problem.js';
import type { Dataset } from '../store/record-store.js';
import { LOOK_BACK } from './series-reader.js';
import { type Series, SeriesService } from './series.service.js';

/** Widths of steps, in seconds: those that divide minutes, hours and days. */
const WIDTHS = [1, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14_400, 21_600, 43_200, 86_400];
const MAX_LINES = 200;
const VALUES_SHOWN = 50;
const EXEMPLARS_SHOWN = 200;

/** What is asked of one metric. */
export interface MetricQuestion {
  steps: Steps;
  metric: string;
  where: Readonly<Record<string, readonly string[]>>;
  by: readonly string[];
  aggregate: AggregateName | undefined;
}

/** A metric in equal steps: a line for each group, and those lines together, as any aggregate. */
export interface RegularMetric {
  kind: SeriesKind;
  /** Groups beyond those that have a line. */
  more: number;
  lines: { labels: Record<string, string>; as: (aggregate?: AggregateName) => Regular }[];
  whole: (aggregate?: AggregateName) => Regular;
}

/** Answers questions about series. */
@Injectable()
export class SeriesQueryService {
  constructor(
    private readonly series: SeriesService,
    private readonly pool: QueryPool,
  ) {}

  /** Metrics whose name, labels or label values hold a text. */
  search(dataset: Dataset, asker: Asker, query: string, limit: number): MetricsSearchAnswer {
    const words = query.toLowerCase().split(/\s+/).filter(Boolean);
    const byMetric = new Map<string, Series[]>();
    for (const one of this.granted(dataset, asker)) {
      const text = [one.metric, one.unit, ...Object.entries(one.labels).flat()].join(' ').toLowerCase();
      if (!words.every((word) => text.includes(word))) continue;
      const own = byMetric.get(one.metric);
      if (own) own.push(one);
      else byMetric.set(one.metric, [one]);
    }
    const metrics = [...byMetric.values()].map(summaryOf);
    metrics.sort((a, b) => (a.metric < b.metric ? -1 : 1));
    return { metrics: metrics.slice(0, limit), total: metrics.length };
  }

  /** What a metric is made of; undefined where there is none of this name. */
  kindOf(dataset: Dataset, asker: Asker, metric: string): SeriesKind | undefined {
    return this.granted(dataset, asker).find((one) => isCalled(one, metric))?.kind;
  }

  /** The numbers of a metric over time, a line for each group. */
  async query(dataset: Dataset, asker: Asker, question: MetricQuestion): Promise<MetricsQueryAnswer> {
    const { metric, steps } = question;
    const effort = noEffort();
    const { first, members, groups, shown, stepped, how } = await this.stepped(
      dataset,
      asker,
      question,
      effort,
    );
    return {
      ...missingPoints(effort),
      metric,
      unit: first.unit,
      kind: first.kind,
      aggregate: how,
      from: momentText(steps.from),
      step: steps.width / 1e6,
      lines: shown.map((group, at) =>
        lineOf(group.labels, group.members.length, stepped[at]!, how, first, steps),
      ),
      more: groups - shown.length,
      exemplars: await this.exemplarsOf(members, windowOf(steps)),
    };
  }

  /** The same, to be worked with: without extremes and exemplars. */
  async regular(dataset: Dataset, asker: Asker, question: MetricQuestion): Promise<RegularMetric> {
    const { steps } = question;
    const { first, shown, groups, stepped, how } = await this.stepped(dataset, asker, question);
    const regularOf = (own: Stepped, name: AggregateName): Regular => ({
      from: steps.from / 1e6,
      step: steps.width / 1e6,
      values: aggregate(own, aggregateOf(name), { kind: first.kind }, steps),
    });
    const together = (): Stepped => {
      const sum = emptySteps(steps);
      for (const own of stepped) addSteps(sum, own);
      return sum;
    };
    return {
      kind: first.kind,
      more: groups - shown.length,
      lines: shown.map(({ labels }, at) => ({ labels, as: (name = how) => regularOf(stepped[at]!, name) })),
      whole: (name = how) => regularOf(stepped.length === 1 ? stepped[0]! : together(), name),
    };
  }

  private async stepped(dataset: Dataset, asker: Asker, question: MetricQuestion, effort?: Effort) {
    const { metric, where, by, steps } = question;
    const window = windowOf(steps);
    const named = this.granted(dataset, asker).filter((one) => isCalled(one, metric));
    const [first] = named;
    if (!first) throw notFound('no-such-metric', `There is no metric "${metric}" in this data set.`);
    // A name that is used for different things is answered for the first of them.
    const members = named.filter(
      (one) =>
        one.kind === first.kind &&
        Object.entries(where).every(([label, values]) => values.includes(one.labels[label] ?? '')),
    );
    const groups = new Map<string, { labels: Record<string, string>; members: Series[] }>();
    for (const one of members) {
      const labels = Object.fromEntries(by.map((label) => [label, one.labels[label] ?? '']));
      const key = JSON.stringify(Object.values(labels));
      const known = groups.get(key);
      if (known) known.members.push(one);
      else groups.set(key, { labels, members: [one] });
    }
    const shown = [...groups.values()].slice(0, MAX_LINES);
    const stepped = await this.pool.seriesSteps(
      {
        steps,
        groups: shown.length,
        members: shown.flatMap(({ members }, group) =>
          members.map((one) => ({
            id: one.id,
            kind: one.kind,
            total: one.total,
            group,
            fresh: this.series.freshOf(one, steps.from - LOOK_BACK, window.to),
          })),
        ),
      },
      effort,
    );
    const how: AggregateName = question.aggregate ?? USUAL[first.kind];
    return { first, members, groups: groups.size, shown, stepped, how };
  }

  private granted(dataset: Dataset, { services }: Asker): Series[] {
    const all = this.series.of(dataset);
    return services === 'all' ? all : all.filter(({ labels }) => services.includes(labels.service ?? ''));
  }

  private async exemplarsOf(
    members: readonly Series[],
    window: Window,
  ): Promise<MetricsQueryAnswer['exemplars']> {
    const byId = new Map(members.map((one) => [one.id, one]));
    const rows = await ExemplarModel.findAll({
      where: { seriesId: [...byId.keys()], atMicros: { [Op.gte]: window.from, [Op.lt]: window.to } },
      order: [['atMicros', 'DESC']],
      limit: EXEMPLARS_SHOWN,
    });
    return rows.map(({ seriesId, atMicros, value, trace, span }) => ({
      time: momentText(atMicros),
      value,
      ...(trace !== null && { trace }),
      ...(span !== null && { span }),
      labels: byId.get(seriesId)!.labels,
    }));
  }
}

const TOTAL = /_total$/;

/** True for series of a name. Counters in OpenMetrics text once were kept without the ending of their name. */
const isCalled = ({ metric, total }: Series, name: string): boolean =>
  metric === name || (total && metric.replace(TOTAL, '') === name.replace(TOTAL, ''));

const windowOf = ({ from, width, count }: Steps): Window => ({ from, to: from + width * count });

const USUAL = { gauge: 'avg', sum: 'rate', histogram: 'p95' } as const;

/** Equal steps over a window: about as many as wanted, with edges at round moments. */
export function stepsIn({ from, to }: Window, points: number): Steps {
  const seconds = (to - from) / 1e6 / points;
  const width = (WIDTHS.find((own) => own >= seconds) ?? Math.ceil(seconds / 86_400) * 86_400) * 1e6;
  const first = Math.floor(from / width) * width;
  return { from: first, width, count: Math.ceil((to - first) / width) };
}

const aggregateOf = (name: AggregateName): Aggregate =>
  name.startsWith('p') ? { percentile: Number(name.slice(1)) } : (name as Exclude<Aggregate, object>);

function lineOf(
  labels: Record<string, string>,
  members: number,
  stepped: Stepped,
  how: AggregateName,
  { kind }: Series,
  steps: Steps,
): SeriesLine {
  const numbers = (values: Float64Array): (number | null)[] =>
    Array.from(values, (value) => (Number.isFinite(value) ? value : null));
  const values = numbers(aggregate(stepped, aggregateOf(how), { kind }, steps));
  if (kind !== 'gauge') return { labels, members, values };
  return { labels, members, values, min: numbers(stepped.min), max: numbers(stepped.max) };
}

function summaryOf(own: readonly Series[]): MetricSummary {
  const { metric, unit, kind } = own[0]!;
  const values = new Map<string, Set<string>>();
  for (const { labels } of own) {
    for (const [name, value] of Object.entries(labels)) {
      const known = values.get(name);
      if (known) known.add(value);
      else values.set(name, new Set([value]));
    }
  }
  const labels = [...values].map(([name, all]) => ({
    name,
    values: [...all].sort().slice(0, VALUES_SHOWN),
    more: Math.max(0, all.size - VALUES_SHOWN),
  }));
  return { metric, unit, kind, series: own.length, labels };
}
