import { type Instance, serviceNamed } from '../world/company.js';
import type { Attributes, Measurement, Span } from '../world/signals.js';

/** Bodies of the OpenTelemetry protocol in JSON. */
type Value =
  { stringValue: string } | { intValue: string } | { doubleValue: number } | { boolValue: boolean };

const valueOf = (value: string | number | boolean): Value => {
  if (typeof value === 'string') return { stringValue: value };
  if (typeof value === 'boolean') return { boolValue: value };
  return Number.isInteger(value) ? { intValue: String(value) } : { doubleValue: value };
};

function attributesOf(attributes: Attributes): { key: string; value: Value }[] {
  const told: { key: string; value: Value }[] = [];
  for (const key in attributes) told.push({ key, value: valueOf(attributes[key]!) });
  return told;
}

/** Nanoseconds of a moment in milliseconds; what is beyond microseconds is nought. */
const nanos = (at: number): string => `${Math.round(at * 1000)}000`;

const resourceOf = (from: Instance | undefined): object => ({
  attributes: attributesOf(
    from
      ? {
          'service.name': from.service,
          'service.instance.id': from.name,
          'service.version': serviceNamed(from.service).version,
          'host.name': from.host,
          site: from.site,
        }
      : { 'service.name': 'kittiwake-lines' },
  ),
});

function groupedBy<T extends { from?: Instance }>(items: readonly T[]): Map<Instance | undefined, T[]> {
  const groups = new Map<Instance | undefined, T[]>();
  for (const item of items) {
    const known = groups.get(item.from);
    if (known) known.push(item);
    else groups.set(item.from, [item]);
  }
  return groups;
}

const KINDS = { internal: 1, server: 2, client: 3, producer: 4 };

export function spansBody(spans: readonly Span[]): string {
  return JSON.stringify({
    resourceSpans: [...groupedBy(spans)].map(([from, own]) => ({
      resource: resourceOf(from),
      scopeSpans: [
        {
          scope: { name: 'kittiwake' },
          spans: own.map((span) => ({
            traceId: span.trace,
            spanId: span.id,
            ...(span.parent !== undefined && { parentSpanId: span.parent }),
            name: span.name,
            kind: KINDS[span.kind],
            startTimeUnixNano: nanos(span.at),
            endTimeUnixNano: nanos(span.at + span.took),
            attributes: attributesOf(span.attributes),
            ...(span.events.length > 0 && {
              events: span.events.map(({ name, at, attributes }) => ({
                name,
                timeUnixNano: nanos(at),
                attributes: attributesOf(attributes),
              })),
            }),
            status: span.failure === undefined ? {} : { code: 2, message: span.failure },
          })),
        },
      ],
    })),
  });
}

const DELTA = 1;

export function metricsBody(measurements: readonly Measurement[]): string {
  return JSON.stringify({
    resourceMetrics: [...groupedBy(measurements)].map(([from, own]) => ({
      resource: resourceOf(from),
      scopeMetrics: [{ scope: { name: 'kittiwake' }, metrics: [...byMetric(own).values()].map(metricOf) }],
    })),
  });
}

function byMetric(measurements: readonly Measurement[]): Map<string, Measurement[]> {
  const groups = new Map<string, Measurement[]>();
  for (const one of measurements) {
    const known = groups.get(one.metric);
    if (known) known.push(one);
    else groups.set(one.metric, [one]);
  }
  return groups;
}

function metricOf(own: readonly Measurement[]): object {
  const { metric, unit, histogram, labels } = own[0]!;
  const name = { name: metric, unit };
  if (histogram)
    return { ...name, histogram: { aggregationTemporality: DELTA, dataPoints: own.map(histogramPoint) } };
  const dataPoints = own.map(numberPoint);
  if (labels?.counted === true)
    return { ...name, sum: { aggregationTemporality: DELTA, isMonotonic: true, dataPoints } };
  return { ...name, gauge: { dataPoints } };
}

/** A measurement with its labels, without the mark of what is counted. */
function numberPoint({ at, value, labels }: Measurement): object {
  const point = { timeUnixNano: nanos(at), asDouble: value };
  if (!labels) return point;
  const attributes = attributesOf(labels).filter(({ key }) => key !== 'counted');
  return attributes.length > 0 ? { ...point, attributes } : point;
}

function histogramPoint({ at, histogram, labels, exemplar }: Measurement): object {
  const { bounds, counts, sum, count } = histogram!;
  return {
    timeUnixNano: nanos(at),
    attributes: attributesOf(labels ?? {}),
    explicitBounds: bounds,
    bucketCounts: counts.map(String),
    sum,
    count: String(count),
    ...(exemplar && {
      exemplars: [
        {
          timeUnixNano: nanos(exemplar.at),
          asDouble: exemplar.value,
          traceId: exemplar.trace,
          spanId: exemplar.span,
        },
      ],
    }),
  };
}
