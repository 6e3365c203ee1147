import type {
  FoundSeries,
  MovedWithAnswer,
  ProgressBody,
  SeriesSearchAnswer,
  SeriesSource,
} from '@flail/contract';
import type { Window } from '@flail/core';
import { Injectable } from '@nestjs/common';
import { CHANCE, type MovedWithFound } from '../onsets/moved-with.js';
import { patternSeries } from '../onsets/onsets.service.js';
import { PAST, SeriesAsked, STEP } from '../onsets/series-asked.service.js';
import { sourceOf } from '../onsets/series-source.js';
import { windowBody } from '../query/moments.js';
import { PatternRatesService } from '../query/pattern-rates.service.js';
import { PatternsService } from '../query/patterns.service.js';
import type { Asked } from '../query/planner.js';
import { RequestsService } from '../requests/requests.service.js';
import { SeriesQueryService } from '../series/series-query.service.js';
import { watched } from '../told/progress.js';
import { TopologyService } from '../topology/topology.service.js';
import { PlotsService } from './plots.service.js';

const HOUR = 3_600_000_000;
const DAY = 24 * HOUR;
/** Series are compared over so much time, at least. */
const COMPARED = 3 * HOUR;
const PATTERNS = 150;
const SHOWN = 60;
const FOUND = 30;

/** Finds series by their names, and those that moved as another did. */
@Injectable()
export class RelatedService {
  constructor(
    private readonly plots: PlotsService,
    private readonly series: SeriesAsked,
    private readonly metrics: SeriesQueryService,
    private readonly requests: RequestsService,
    private readonly patterns: PatternsService,
    private readonly rates: PatternRatesService,
    private readonly topologies: TopologyService,
  ) {}

  /** Everything that can be drawn and whose name, labels or unit hold some words. */
  async find(asked: Asked, query: string): Promise<SeriesSearchAnswer> {
    const words = query.toLowerCase().split(/\s+/).filter(Boolean);
    const fits = (text: string): boolean => words.every((word) => text.toLowerCase().includes(word));
    const [requests, patterns] = await Promise.all([
      this.requests.search(asked, { preset: 'all', order: 'newest', limit: 0, offset: 0, steps: 1 }),
      this.patterns.search(asked, 'common', 1000),
    ]);
    const metrics = this.metrics.search(asked.dataset, asked.asker, query, FOUND).metrics;
    return {
      metrics: metrics.map(({ metric, unit, series, labels }) => ({
        name: metric,
        about: [
          unit === '1' ? '' : unit,
          `${series} series`,
          labels
            .find(({ name }) => name === 'service')
            ?.values.slice(0, 3)
            .join(', ') ?? '',
        ]
          .filter(Boolean)
          .join(' · '),
        source: { of: 'metric', metric, ...whereOf(labels) },
      })),
      requests: requests.operations
        .flatMap(({ service, operation }) =>
          FIGURES.map(([figure, what]): FoundSeries => ({
            name: `${what}, ${operation}`,
            about: service,
            source: { of: 'requests', figure, service, operation },
          })),
        )
        .filter(({ name, about }) => fits(`${name} ${about}`))
        .slice(0, FOUND),
      patterns: patterns.patterns
        .map((one): FoundSeries => {
          const { measure, service } = patternSeries(one);
          return { name: one.name ?? measure, about: service, source: { of: 'pattern', pattern: one.id } };
        })
        .filter(({ name, about, source }) => fits(`${name} ${about} ${source.of}`))
        .slice(0, FOUND),
    };
  }

  /** Series that moved with one, in the focus and as much time before it, and those that stayed as ever. */
  async related(
    asked: Asked,
    source: SeriesSource,
    tell?: (news: ProgressBody) => void,
  ): Promise<MovedWithAnswer> {
    const { dataset, asker, window, signal } = asked;
    const compared = {
      from: window.to - Math.max(COMPARED, 2 * (window.to - window.from)),
      to: window.to,
    };
    const steps = this.series.steps(window);
    const members = this.series.members(dataset, asker, steps);
    const [target, more, topology] = await Promise.all([
      this.plots.past(asked, source, window, PAST),
      this.patternRows(asked, compared),
      this.topologies.topology(dataset, asker, window),
    ]);
    const found = await watched(
      (progress) =>
        this.requests.ofSeries(
          asked,
          { kind: 'moved with', steps, members, progress, source, target, more, compared },
          PAST,
        ),
      tell,
      signal,
    );
    const service = serviceOf(source);
    const near = new Set([
      service,
      ...topology.calls.filter(({ from }) => from === service).map(({ to }) => to),
    ]);
    const still = found.still.filter((one) => service === '' || near.has(one.service));
    return {
      name: source.of === 'metric' ? source.metric : nameOfSource(source),
      window: windowBody(compared),
      with: found.with.slice(0, SHOWN).map((one) => ({
        ...named(one),
        correlation: one.correlation,
        lag: one.lag,
      })),
      still: still.slice(0, SHOWN).map(named),
      compared: found.compared,
      chance: CHANCE,
    };
  }

  /** How often patterns came, as rows beside the series. */
  private async patternRows(asked: Asked, compared: Window) {
    const searches = await Promise.all(
      (['surprise', 'common'] as const).map((order) => this.patterns.search(asked, order, PATTERNS)),
    );
    const patterns = new Map(searches.flatMap((one) => one.patterns.map((own) => [own.id, own] as const)));
    const from = Math.floor((compared.from - DAY) / STEP) * STEP;
    const steps = { from, width: STEP, count: Math.ceil((compared.to - from) / STEP) };
    const rates = await this.rates.rates(asked, [...patterns.keys()], steps);
    return [...patterns].map(([id, one]) => ({ ...patternSeries(one), series: rates.get(id)! }));
  }
}

/** Labels that place a series; where the words leave one value of them, only that is drawn. */
const PLACES = ['service', 'instance', 'host'];

function whereOf(labels: readonly { name: string; values: string[]; more: number }[]): {
  where?: Record<string, string[]>;
} {
  const only = labels.filter(
    ({ name, values, more }) => PLACES.includes(name) && values.length === 1 && more === 0,
  );
  return only.length === 0
    ? {}
    : { where: Object.fromEntries(only.map(({ name, values }) => [name, values])) };
}

const FIGURES = [
  ['rate', 'requests'],
  ['failed', 'share that fails'],
  ['p50', 'median duration'],
  ['p95', 'p95 duration'],
] as const;

function nameOfSource(source: Exclude<SeriesSource, { of: 'metric' }>): string {
  if (source.of === 'pattern') return `pattern ${source.pattern}`;
  if (source.of === 'expression') return source.expression;
  const what = FIGURES.find(([figure]) => figure === source.figure)![1];
  return [what, source.operation, source.service].filter((part) => part !== undefined).join(', ');
}

function serviceOf(source: SeriesSource): string {
  if (source.of === 'metric') return source.where?.service?.length === 1 ? source.where.service[0]! : '';
  return source.of === 'requests' ? (source.service ?? '') : '';
}

const named = ({
  measure,
  member,
  service,
  drawn,
}: MovedWithFound['still'][number]): { name: string; service: string; source: SeriesSource } => ({
  name: drawn.of === 'pattern' || member === '' || member === service ? measure : `${measure} · ${member}`,
  service,
  source: sourceOf([drawn]),
});
