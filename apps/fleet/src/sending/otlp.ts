import { type Instance, serviceNamed } from '../world/company.js';
import type { Attributes, Measurement, Span } from '../world/signals.js';
import { type Bytes, TextBuffer } from './text-buffer.js';

/** Requests of the OpenTelemetry protocol in JSON, written item by item as they come. */
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

const resourceOf = (from: Instance | undefined): string =>
  JSON.stringify({
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

const SCOPE = '"scope":{"name":"kittiwake"}';

/** The value of a key, made when it is new. */
function valueIn<K, V>(known: Map<K, V>, key: K, make: () => V): V {
  let value = known.get(key);
  if (value === undefined) known.set(key, (value = make()));
  return value;
}

/** A list of JSON, written item by item. */
class ListBuffer extends TextBuffer {
  item(text: string): void {
    this.write(this.length === 0 ? text : `,${text}`);
  }
}

/** A request that carries spans. */
export class SpansRequest {
  count = 0;
  private readonly groups = new Map<Instance, ListBuffer>();

  add(span: Span): void {
    this.count++;
    valueIn(this.groups, span.from, () => new ListBuffer()).item(spanText(span));
  }

  body(): Bytes {
    const all = new ListBuffer();
    for (const [from, spans] of this.groups) {
      all.item(`{"resource":${resourceOf(from)},"scopeSpans":[{${SCOPE},"spans":[`);
      all.append(spans);
      all.write(']}]}');
    }
    return inObject('resourceSpans', all);
  }
}

function inObject(name: string, list: ListBuffer): Bytes {
  const whole = new TextBuffer();
  whole.write(`{"${name}":[`);
  whole.append(list);
  whole.write(']}');
  return whole.written();
}

const KINDS = { internal: 1, server: 2, client: 3, producer: 4 };

const spanText = (span: Span): string =>
  JSON.stringify({
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
  });

/** What was counted is told as what was added since the time before. */
const DELTA = '"aggregationTemporality":1';

/** A request that carries measurements. */
export class MetricsRequest {
  count = 0;
  private readonly groups = new Map<
    Instance | undefined,
    Map<string, { like: Measurement; points: ListBuffer }>
  >();

  add(one: Measurement): void {
    this.count++;
    const own = valueIn(this.groups, one.from, () => new Map<string, never>());
    valueIn(own, one.metric, () => ({ like: one, points: new ListBuffer() })).points.item(pointText(one));
  }

  body(): Bytes {
    const all = new ListBuffer();
    for (const [from, metrics] of this.groups) {
      const own = new ListBuffer();
      for (const { like, points } of metrics.values()) {
        const { data, qualities } = dataOf(like);
        const names = `"name":${JSON.stringify(like.metric)},"unit":${JSON.stringify(like.unit)}`;
        own.item(`{${names},"${data}":{${qualities}"dataPoints":[`);
        own.append(points);
        own.write(']}}');
      }
      all.item(`{"resource":${resourceOf(from)},"scopeMetrics":[{${SCOPE},"metrics":[`);
      all.append(own);
      all.write(']}]}');
    }
    return inObject('resourceMetrics', all);
  }
}

function dataOf({ histogram, counted }: Measurement): { data: string; qualities: string } {
  if (histogram) return { data: 'histogram', qualities: `${DELTA},` };
  if (counted) return { data: 'sum', qualities: `${DELTA},"isMonotonic":true,` };
  return { data: 'gauge', qualities: '' };
}

function pointText({ at, value, histogram, labels, exemplar }: Measurement): string {
  // Most of all that is sent: it is not worth an object.
  if (!histogram && !labels) return `{"timeUnixNano":"${nanos(at)}","asDouble":${value}}`;
  return JSON.stringify({
    timeUnixNano: nanos(at),
    attributes: attributesOf(labels ?? {}),
    ...(histogram
      ? {
          explicitBounds: histogram.bounds,
          bucketCounts: histogram.counts.map(String),
          sum: histogram.sum,
          count: String(histogram.count),
        }
      : { asDouble: value }),
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
  });
}
