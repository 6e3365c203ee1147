import { isObject, type Unknown } from '../records/objects.js';
import { isMoment, MOMENTS_TEXT } from '../time/range.js';
import type { Exemplar, SeriesIdentity, SeriesPoints } from './series.js';

/** Points of one series on their way from one store to another. */
export interface SeriesPart {
  series: SeriesIdentity;
  points: SeriesPoints;
  exemplars: Omit<Exemplar, 'series'>[];
}

/** A line that carries no points. */
export class SeriesLineError extends Error {}

/** Points of a series as one line of JSON; times are microseconds since 1970, null stands where there is no number. */
export function seriesLine({ series, points: { times, columns }, exemplars }: SeriesPart): string {
  const { metric, unit, kind, total, labels } = series;
  const numbers = Object.fromEntries(
    [...columns].map(([name, column]) => [
      name,
      Array.from(column, (one) => (Number.isNaN(one) ? null : one)),
    ]),
  );
  return `${JSON.stringify({
    metric,
    unit,
    kind,
    total,
    labels,
    times: Array.from(times),
    columns: numbers,
    ...(exemplars.length > 0 && { exemplars }),
  })}\n`;
}

/** Reads what `seriesLine` wrote. Throws on what is none. */
export function seriesPartOf(line: string): SeriesPart {
  let part: unknown;
  try {
    part = JSON.parse(line);
  } catch {
    throw new SeriesLineError(`This is no JSON: ${line.slice(0, 100)}`);
  }
  if (!isObject(part)) throw new SeriesLineError('A line is an object.');
  const { metric, unit, kind, total, labels, times, columns, exemplars } = part;
  if (typeof metric !== 'string' || metric === '') throw new SeriesLineError('A series has a "metric".');
  if (kind !== 'gauge' && kind !== 'sum' && kind !== 'histogram')
    throw new SeriesLineError(`The "kind" of ${metric} is gauge, sum or histogram.`);
  if (!isNumbers(times)) throw new SeriesLineError(`The "times" of ${metric} are numbers.`);
  if (!times.every(isMoment)) throw new SeriesLineError(`The "times" of ${metric} are ${MOMENTS_TEXT}.`);
  if (!isObject(columns)) throw new SeriesLineError(`${metric} has "columns".`);
  return {
    series: {
      metric,
      unit: typeof unit === 'string' ? unit : '',
      kind,
      total: total === true,
      labels: textsOf(labels),
    },
    points: {
      times: Float64Array.from(times),
      columns: new Map(
        Object.entries(columns).map(([name, numbers]) => [
          name,
          columnOf(metric, name, numbers, times.length),
        ]),
      ),
    },
    exemplars: Array.isArray(exemplars) ? exemplars.filter(isObject).flatMap(exemplarOf) : [],
  };
}

const isNumbers = (value: unknown): value is number[] =>
  Array.isArray(value) && value.every((one) => typeof one === 'number');

function columnOf(metric: string, name: string, numbers: unknown, length: number): Float64Array {
  if (!Array.isArray(numbers) || numbers.length !== length)
    throw new SeriesLineError(`The column "${name}" of ${metric} has not a number for each of its times.`);
  return Float64Array.from(numbers, (one: unknown) => (typeof one === 'number' ? one : NaN));
}

const textsOf = (labels: unknown): Record<string, string> =>
  isObject(labels)
    ? Object.fromEntries(Object.entries(labels).map(([name, value]) => [name, String(value)]))
    : {};

function exemplarOf({ at, value, trace, span }: Unknown): Omit<Exemplar, 'series'>[] {
  if (typeof at !== 'number' || !isMoment(at) || typeof value !== 'number') return [];
  return [
    { at, value, ...(typeof trace === 'string' && { trace }), ...(typeof span === 'string' && { span }) },
  ];
}
