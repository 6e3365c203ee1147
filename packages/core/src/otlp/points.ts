import { isObject, type Unknown } from '../records/objects.js';
import { fieldName } from '../records/fields.js';
import {
  bucketColumn,
  COLUMN_OF,
  type Exemplar,
  type Gathered,
  PointsRead,
  type SeriesIdentity,
} from '../series/series.js';
import { MOMENTS_TEXT } from '../time/range.js';
import { groupsOf } from './lines.js';
import { senderOf } from './resource.js';
import { itemsOf } from './items.js';
import { nanosOf } from './nanos.js';
import { asText, attributesOf, identifierOf, numberOf, objectsOf, textOf } from './values.js';

/** Attributes of a sender that make series of their own; others describe the sender, not what is measured. */
const SENDER_LABELS = ['service', 'instance', 'host', 'site'];
const DELTA = 1;
/** Set in a point's flags where nothing was measured. */
const NO_VALUE = 1;

/** The points of a request, with exemplars; added to what was read before. */
export function metricPoints(request: unknown, read = new PointsRead()): PointsRead {
  for (const group of groupsOf(request, 'resourceMetrics')) {
    const { attributes } = senderOf(group.resource);
    const sender = Object.fromEntries(
      SENDER_LABELS.flatMap((name) => (attributes[name] === undefined ? [] : [[name, attributes[name]]])),
    ) as Record<string, string>;
    for (const scope of objectsOf(group.scopeMetrics))
      for (const metric of itemsOf(scope.metrics)) readMetric(metric, sender, read);
  }
  return read;
}

interface Measured {
  kind: SeriesIdentity['kind'];
  total: boolean;
  /** Adds a point; false where it has no number. */
  add: (series: Gathered, at: number, point: Unknown) => boolean;
}

function readMetric(metric: Unknown, sender: Record<string, string>, read: PointsRead): void {
  const name = textOf(metric.name);
  const data = [metric.gauge, metric.sum, metric.histogram, metric.exponentialHistogram, metric.summary].find(
    isObject,
  );
  if (name === '' || !data) {
    read.refuse(1, name === '' ? 'A metric has no name.' : `Metric "${name}" has no data.`);
    return;
  }
  const points = objectsOf(data.dataPoints);
  const unit = textOf(metric.unit);
  if (isObject(metric.summary)) {
    for (const point of points) readSummary(name, unit, point, sender, read);
    return;
  }
  const { kind, total, add } = measuredBy(metric, data);
  // Points of one series share its identity.
  const known = new Map<string, SeriesIdentity>();
  for (const point of points) {
    if (point.flags !== undefined && ((numberOf(point.flags) ?? 0) & NO_VALUE) !== 0) continue;
    const at = nanosOf(point.timeUnixNano)?.micros;
    if (at === undefined) {
      read.refuse(1, `A point of "${name}" has no time, or one that is not ${MOMENTS_TEXT}.`);
      continue;
    }
    const key = point.attributes === undefined ? '' : JSON.stringify(point.attributes);
    const series = known.get(key) ?? { metric: name, unit, kind, total, labels: labelsOf(point, sender) };
    if (!add(read.of(series), at, point)) {
      read.refuse(1, `A point of "${name}" has no number.`);
      continue;
    }
    known.set(key, series);
    if (point.exemplars !== undefined)
      for (const exemplar of exemplarsOf(point, series)) read.exemplars.push(exemplar);
  }
}

function labelsOf(point: Unknown, sender: Record<string, string>): Record<string, string> {
  const labels = { ...sender };
  for (const [name, value] of attributesOf(point.attributes)) labels[fieldName(name)] = asText(value);
  return labels;
}

function measuredBy(metric: Unknown, data: Unknown): Measured {
  const total = numberOf(data.aggregationTemporality) !== DELTA;
  if (isObject(metric.gauge)) return { kind: 'gauge', total: false, add: addNumber };
  if (isObject(metric.sum)) {
    // What may fall as well as rise is a level, once it is added up.
    const level = total && data.isMonotonic !== true;
    return level ? { kind: 'gauge', total: false, add: addNumber } : { kind: 'sum', total, add: addNumber };
  }
  const columnsOf = isObject(metric.histogram) ? explicitColumns : exponentialColumns;
  return {
    kind: 'histogram',
    total,
    add: (series, at, point) => {
      const columns = columnsOf(point);
      if (columns) series.add(at, columns);
      return columns !== undefined;
    },
  };
}

const numberIn = (point: Unknown): number | undefined => numberOf(point.asDouble) ?? numberOf(point.asInt);

function addNumber(series: Gathered, at: number, point: Unknown): boolean {
  const value = numberIn(point);
  if (value === undefined || !Number.isFinite(value)) return false;
  series.addValue(at, value);
  return true;
}

/** Count, sum and extremes of a histogram's point. */
function totalsOf(point: Unknown): Record<string, number> | undefined {
  const count = numberOf(point.count);
  if (count === undefined) return undefined;
  const columns: Record<string, number> = { [COLUMN_OF.count]: count };
  for (const name of ['sum', 'min', 'max'] as const) {
    const value = numberOf(point[name]);
    if (value !== undefined && Number.isFinite(value)) columns[name] = value;
  }
  return columns;
}

function explicitColumns(point: Unknown): Record<string, number> | undefined {
  const columns = totalsOf(point);
  const counts = listOf(point.bucketCounts);
  const bounds = listOf(point.explicitBounds);
  if (!columns || (counts.length > 0 && counts.length !== bounds.length + 1)) return undefined;
  counts.forEach((count, at) => {
    if (count > 0) columns[bucketColumn(bounds[at - 1] ?? -Infinity, bounds[at] ?? Infinity)] = count;
  });
  return columns;
}

const listOf = (value: unknown): number[] =>
  Array.isArray(value) ? value.map((one) => numberOf(one) ?? 0) : [];

function exponentialColumns(point: Unknown): Record<string, number> | undefined {
  const columns = totalsOf(point);
  const scale = numberOf(point.scale) ?? 0;
  if (!columns || scale < -10 || scale > 20) return undefined;
  const bound = (index: number): number => 2 ** (index * 2 ** -scale);
  const zero = numberOf(point.zeroThreshold) ?? 0;
  const zeros = numberOf(point.zeroCount) ?? 0;
  if (zeros > 0) columns[bucketColumn(-zero, zero)] = zeros;
  const fill = (side: unknown, column: (index: number) => string): void => {
    if (!isObject(side)) return;
    const offset = numberOf(side.offset) ?? 0;
    listOf(side.bucketCounts).forEach((count, at) => {
      if (count > 0) columns[column(offset + at)] = count;
    });
  };
  fill(point.positive, (index) => bucketColumn(bound(index), bound(index + 1)));
  fill(point.negative, (index) => bucketColumn(-bound(index + 1), -bound(index)));
  return columns;
}

/** A summary's quantiles are gauges of their own, its count and sum are totals. */
function readSummary(
  name: string,
  unit: string,
  point: Unknown,
  sender: Record<string, string>,
  read: PointsRead,
): void {
  const nanos = nanosOf(point.timeUnixNano);
  if (nanos === undefined) {
    read.refuse(1, `A point of "${name}" has no time, or one that is not ${MOMENTS_TEXT}.`);
    return;
  }
  const at = nanos.micros;
  const labels = labelsOf(point, sender);
  const add = (series: SeriesIdentity, value: number | undefined): void => {
    if (value !== undefined && Number.isFinite(value)) read.of(series).addValue(at, value);
  };
  for (const { quantile, value } of objectsOf(point.quantileValues)) {
    const own = { ...labels, quantile: String(numberOf(quantile) ?? 0) };
    add({ metric: name, unit, kind: 'gauge', total: false, labels: own }, numberOf(value) ?? 0);
  }
  add({ metric: `${name}.count`, unit: '', kind: 'sum', total: true, labels }, numberOf(point.count));
  add({ metric: `${name}.sum`, unit, kind: 'sum', total: true, labels }, numberOf(point.sum));
}

function exemplarsOf(point: Unknown, series: SeriesIdentity): Exemplar[] {
  return objectsOf(point.exemplars).flatMap((exemplar) => {
    const at = nanosOf(exemplar.timeUnixNano) ?? nanosOf(point.timeUnixNano);
    const value = numberIn(exemplar);
    if (at === undefined || value === undefined || !Number.isFinite(value)) return [];
    const trace = identifierOf(exemplar.traceId, 32);
    const span = identifierOf(exemplar.spanId, 16);
    return [
      {
        series,
        at: at.micros,
        value,
        ...(trace !== undefined && { trace }),
        ...(span !== undefined && { span }),
      },
    ];
  });
}
