import { type Instance, serviceNamed } from '../world/company.js';
import type { Attributes, Measurement, Span } from '../world/signals.js';
import { type Bytes, TextBuffer } from './text-buffer.js';

const quoted = (text: string): string => JSON.stringify(text);

function valueText(value: string | number | boolean): string {
  if (typeof value === 'string') return `{"stringValue":${quoted(value)}}`;
  if (typeof value === 'boolean') return `{"boolValue":${value}}`;
  return Number.isInteger(value) ? `{"intValue":"${value}"}` : `{"doubleValue":${value}}`;
}

function attributesText(attributes: Attributes): string {
  let text = '';
  for (const key in attributes)
    text += `${text === '' ? '' : ','}{"key":"${key}","value":${valueText(attributes[key]!)}}`;
  return `[${text}]`;
}

/** Nanoseconds of a moment in milliseconds; what is beyond microseconds is nought. */
const nanos = (at: number): string => `${Math.round(at * 1000)}000`;

const resourceText = (from: Instance | undefined): string => {
  const attributes: Attributes = from
    ? {
        'service.name': from.service,
        'service.instance.id': from.name,
        'service.version': serviceNamed(from.service).version,
        'host.name': from.host,
        site: from.site,
      }
    : { 'service.name': 'kittiwake-lines' };
  return `{"attributes":${attributesText(attributes)}}`;
};

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

/** A request of the OpenTelemetry protocol that carries spans, in JSON that is written span by span. */
export class SpansRequest {
  private readonly groups = new Map<Instance, ListBuffer>();

  add(span: Span): void {
    valueIn(this.groups, span.from, () => new ListBuffer()).item(spanText(span));
  }

  body(): Bytes {
    const all = new ListBuffer();
    for (const [from, spans] of this.groups) {
      all.item(`{"resource":${resourceText(from)},"scopeSpans":[{${SCOPE},"spans":[`);
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

function spanText({ trace, id, parent, name, kind, at, took, attributes, events, failure }: Span): string {
  const times = `"startTimeUnixNano":"${nanos(at)}","endTimeUnixNano":"${nanos(at + took)}"`;
  const origin = parent === undefined ? '' : `"parentSpanId":"${parent}",`;
  const told = events.map(
    (event) =>
      `{"name":${quoted(event.name)},"timeUnixNano":"${nanos(event.at)}","attributes":${attributesText(event.attributes)}}`,
  );
  const status = failure === undefined ? '{}' : `{"code":2,"message":${quoted(failure)}}`;
  return `{"traceId":"${trace}","spanId":"${id}",${origin}"name":${quoted(name)},"kind":${KINDS[kind]},${times},"attributes":${attributesText(attributes)},"events":[${told.join()}],"status":${status}}`;
}

/** What was counted is told as what was added since the time before. */
const DELTA = '"aggregationTemporality":1';

/** A request that carries measurements, in the same manner. */
export class MetricsRequest {
  private readonly groups = new Map<
    Instance | undefined,
    Map<string, { like: Measurement; points: ListBuffer }>
  >();

  add(one: Measurement): void {
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
      all.item(`{"resource":${resourceText(from)},"scopeMetrics":[{${SCOPE},"metrics":[`);
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
  const start = `{"timeUnixNano":"${nanos(at)}"`;
  // Most of all that is sent has no more to it.
  if (!histogram && !labels) return `${start},"asDouble":${value}}`;
  const measured = histogram
    ? {
        explicitBounds: histogram.bounds,
        bucketCounts: histogram.counts.map(String),
        sum: histogram.sum,
        count: String(histogram.count),
      }
    : { asDouble: value };
  const exemplars = exemplar && [
    {
      timeUnixNano: nanos(exemplar.at),
      asDouble: exemplar.value,
      traceId: exemplar.trace,
      spanId: exemplar.span,
    },
  ];
  const rest = JSON.stringify({ ...measured, exemplars }).slice(1);
  return `${start},"attributes":${attributesText(labels ?? {})},${rest}`;
}
