import type { Moved, RequestFigure, SeriesOf } from '@flail/core/onsets';
import { type HowTold, kindOf } from '@flail/core/onsets';
import type { Window } from '@flail/core';
import { groupedByOperation, type Request } from '@flail/core/requests';
import { requestSeries } from '@flail/core/impact';
import {
  type Aggregate,
  addPoints,
  aggregate,
  boundsOf,
  decodePoints,
  emptySteps,
  mergePoints,
  type Regular,
  type Stepped,
  type Steps,
  stepsOf,
} from '@flail/core/series';
import type { Subject, TableMember } from '../requests/analysis-tasks.js';
import type { RequestData } from '../requests/request-data.js';
import type { Progress } from '../told/progress.js';
import type { SeriesReader } from '../series/series-reader.js';

const SECOND = 1_000_000;
/** Measurements in a step from which on its percentiles and shares are told. */
const FIRM = 10;
/** Series that are read in one go. */
const AT_ONCE = 40;

/** A series step by step, with what it is of. */
export interface TableRow extends Omit<Moved, 'deviation'> {
  series: Regular;
  told?: HowTold;
  /** It is measured all the time; of what is counted as it happens, nothing comes where nothing happens. */
  always?: true;
}

/** All series of a data set in equal steps, and the figures of requests by operation. */
export type SeriesTable = TableRow[];

/** Builds the table of all series over some steps. */
export async function seriesTable(
  data: RequestData,
  reader: SeriesReader,
  subject: Subject,
  asked: { steps: Steps; members: readonly TableMember[] },
  progress: Progress,
): Promise<SeriesTable> {
  const rows = await metricRows(reader, asked, progress);
  const past = { from: asked.steps.from, to: subject.window.to };
  for (const own of groupedByOperation(await data.requests(subject, past)).values())
    rows.push(...figureRows(own, past, asked.steps.width / SECOND));
  return rows;
}

/** Rows of all metrics. */
export async function metricRows(
  reader: SeriesReader,
  { steps, members }: { steps: Steps; members: readonly TableMember[] },
  progress: Progress,
): Promise<SeriesTable> {
  const rows: SeriesTable = [];
  const [from, step] = [steps.from / SECOND, steps.width / SECOND];
  const histograms = new Map<string, Omit<TableRow, 'series' | 'kind' | 'drawn'> & Summed>();
  const add = (
    of: Omit<TableRow, 'series' | 'kind'>,
    figure: Parameters<typeof kindOf>[2],
    series: Regular,
  ): void => void rows.push({ ...of, kind: kindOf(of.measure, of.unit, figure), series });
  for (let at = 0; at < members.length; at += AT_ONCE) {
    const part = members.slice(at, at + AT_ONCE);
    const stored = await reader.points(
      part.map(({ id }) => id),
      steps.from,
      steps.from + steps.width * steps.count,
    );
    for (const { id, fresh, metric, unit, kind, total, labels } of part) {
      const points = mergePoints([...(stored.get(id) ?? []), ...fresh.map(decodePoints)]);
      const { service = '', ...rest } = labels;
      const member = rest.instance ?? rest.host ?? Object.values(rest).join(', ');
      const measure = tagged(metric, rest);
      const found = { id: String(id), measure, unit, service, member };
      if (kind === 'histogram') {
        // Percentiles of single members are told from a few values a minute; those of all together are firmer.
        const key = `${service}\n${measure}`;
        let sum = histograms.get(key);
        if (!sum) {
          sum = {
            ...found,
            member: service,
            metric,
            labels: shared(labels),
            stepped: emptySteps(steps),
            total,
          };
          histograms.set(key, sum);
        }
        addPoints(sum.stepped, points, { kind, total }, steps);
        continue;
      }
      const stepped = stepsOf(points, { kind, total }, steps);
      const how = kind === 'gauge' ? 'avg' : 'rate';
      add(
        {
          ...found,
          drawn: { of: 'metric', metric, labels, aggregate: how },
          unit: kind === 'gauge' ? unit : `${unit}/s`,
          ...(kind === 'sum' && { told: { grain: 1 / step } }),
          ...((kind === 'gauge' || total) && { always: true }),
        },
        kind === 'gauge' ? 'gauge' : 'rate',
        { from, step, values: aggregate(stepped, how, { kind }, steps) },
      );
    }
    progress.tell(Math.min(at + AT_ONCE, members.length), members.length);
  }
  for (const { metric, labels, stepped, total, ...found } of histograms.values()) {
    const of = (how: Aggregate): Float64Array => aggregate(stepped, how, { kind: 'histogram' }, steps);
    const drawn = (how: 'rate' | 'p95'): SeriesOf => ({ of: 'metric', metric, labels, aggregate: how });
    const count = { ...found, id: `${found.id} count`, measure: `${found.measure} count`, unit: '/s' };
    add(
      { ...count, drawn: drawn('rate'), told: { grain: 1 / step }, ...(total && { always: true }) },
      'rate',
      { from, step, values: of('rate') },
    );
    const values = of({ percentile: 95 }).map((value, at) => (stepped.count[at]! >= FIRM ? value : NaN));
    const edges = edgesOf(stepped);
    const p95 = {
      ...found,
      id: `${found.id} p95`,
      measure: `${found.measure} p95`,
      drawn: drawn('p95'),
      told: { edges },
    };
    add(p95, 'percentile', { from, step, values });
  }
  return rows;
}

/** The figures of the requests of one operation. */
function figureRows(own: readonly Request[], past: Window, step: number): SeriesTable {
  const { service, name } = own[0]!;
  const of = requestSeries(own, past, step);
  const weight = own.reduce((sum, one) => sum + one.weight, 0) / own.length;
  return FIGURES.map(([measure, unit, figure]) => {
    const { rate } = of;
    const values =
      figure === 'rate'
        ? rate
        : of[figure === 'failed' ? 'failedShare' : figure].map((value, at) =>
            (rate[at]! * step) / 60 >= FIRM ? value : NaN,
          );
    return {
      id: `${service} ${name} ${measure}`,
      measure,
      unit,
      service,
      member: name,
      kind: kindOf(measure, unit, FIGURE_KINDS[figure]),
      drawn: { of: 'requests', figure, service, operation: name },
      series: { from: of.from, step: of.step, values },
      ...(figure === 'rate' && { told: { grain: (60 * weight) / step } }),
    };
  });
}

interface Summed {
  metric: string;
  labels: Record<string, string>;
  stepped: Stepped;
  total: boolean;
}

/** Bounds of the buckets of a histogram, in their order. */
const edgesOf = ({ buckets }: Stepped): number[] =>
  [...new Set([...(buckets?.keys() ?? [])].flatMap((name) => boundsOf(name) ?? []))]
    .filter(Number.isFinite)
    .sort((a, b) => a - b);

const FIGURES: [measure: string, unit: string, figure: RequestFigure][] = [
  ['requests', '/min', 'rate'],
  ['share that fails', 'share', 'failed'],
  ['median duration', 's', 'p50'],
  ['p95 duration', 's', 'p95'],
];

const FIGURE_KINDS = { rate: 'rate', failed: 'share', p50: 'percentile', p95: 'percentile' } as const;

/** Labels that tell single machines apart are members; others are part of what is measured. */
const PLACES = new Set(['instance', 'host', 'site', 'service.version']);

const shared = (labels: Readonly<Record<string, string>>): Record<string, string> =>
  Object.fromEntries(Object.entries(labels).filter(([label]) => !PLACES.has(label)));

function tagged(name: string, labels: Readonly<Record<string, string>>): string {
  const kinds = Object.entries(labels).filter(([label]) => !PLACES.has(label));
  return kinds.length === 0 ? name : `${name} (${kinds.map(([, value]) => value).join(', ')})`;
}
