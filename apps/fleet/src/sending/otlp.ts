import protobuf from 'protobufjs/minimal.js';
import { type Instance, serviceNamed } from '../world/company.js';
import type { Disguise } from '../world/disguise.js';
import type { Attributes, Measurement, Span } from '../world/signals.js';
import { type Bytes, ByteBuffer } from './byte-buffer.js';

/** Requests of the OpenTelemetry protocol in protocol buffers, written item by item. */

type Writer = protobuf.Writer;
const { Writer } = protobuf;

/** Numbers of the protocol's fields, with how each is written. */
const varint = (field: number): number => field << 3;
const eight = (field: number): number => (field << 3) | 1;
const sized = (field: number): number => (field << 3) | 2;

const TWO_TO_32 = 2 ** 32;

/** A moment in nanoseconds; what is beyond microseconds is nought. */
function nanos(writer: Writer, field: number, at: number): void {
  const micros = Math.round(at * 1000);
  // Half by half: no number holds it as a whole.
  const low = (micros % TWO_TO_32) * 1000;
  const high = Math.floor(micros / TWO_TO_32) * 1000 + Math.floor(low / TWO_TO_32);
  writer
    .uint32(eight(field))
    .fixed32(low % TWO_TO_32)
    .fixed32(high);
}

const identifier = (writer: Writer, field: number, hex: string): void =>
  void writer.uint32(sized(field)).bytes(Buffer.from(hex, 'hex'));

/** The value of a key, made when it is new. */
function valueIn<K, V>(known: Map<K, V>, key: K, make: () => V): V {
  let value = known.get(key);
  if (value === undefined) known.set(key, (value = make()));
  return value;
}

/** What all requests have: groups of an instance each, under the names that things are told by. */
abstract class OtlpRequest {
  constructor(private readonly told: Disguise) {}

  protected text(writer: Writer, field: number, text: string): void {
    if (text !== '') writer.uint32(sized(field)).string(this.told(text));
  }

  protected attributes(writer: Writer, field: number, attributes: Attributes): void {
    for (const key in attributes) {
      writer.uint32(sized(field)).fork();
      this.text(writer, 1, key);
      writer.uint32(sized(2)).fork();
      this.value(writer, attributes[key]!);
      writer.ldelim().ldelim();
    }
  }

  private value(writer: Writer, value: string | number | boolean): void {
    if (typeof value === 'string') writer.uint32(sized(1)).string(this.told(value));
    else if (typeof value === 'boolean') writer.uint32(varint(2)).bool(value);
    else if (Number.isInteger(value)) writer.uint32(varint(3)).int64(value);
    else writer.uint32(eight(4)).double(value);
  }

  /** Writes the items of an instance, each of them a field of its own, into the whole. */
  protected group(whole: ByteBuffer, from: Instance | undefined, items: ByteBuffer): void {
    const resource = Writer.create().uint32(sized(1)).fork();
    this.attributes(resource, 1, resourceOf(from));
    const scope = Writer.create().uint32(sized(1)).fork();
    this.text(scope, 1, 'kittiwake');
    const head = resource.ldelim().finish();
    const scopeHead = scope.ldelim().finish();
    const inScope = scopeHead.length + items.length;
    const scopeLength = Writer.create().uint32(sized(2)).uint32(inScope).finish();
    whole.append(
      Writer.create()
        .uint32(sized(1))
        .uint32(head.length + scopeLength.length + inScope)
        .finish(),
    );
    for (const part of [head, scopeLength, scopeHead, items.written()]) whole.append(part);
  }
}

const resourceOf = (from: Instance | undefined): Attributes =>
  from
    ? {
        'service.name': from.service,
        'service.instance.id': from.name,
        'service.version': serviceNamed(from.service).version,
        'host.name': from.host,
        site: from.site,
      }
    : { 'service.name': 'kittiwake-lines' };

const KINDS = { internal: 1, server: 2, client: 3, producer: 4 };
const FAILED = 2;

/** A request that carries spans. */
export class SpansRequest extends OtlpRequest {
  private readonly groups = new Map<Instance, ByteBuffer>();

  add(span: Span): void {
    const writer = Writer.create().uint32(sized(2)).fork();
    this.span(writer, span);
    valueIn(this.groups, span.from, () => new ByteBuffer()).append(writer.ldelim().finish());
  }

  body(): Bytes {
    const whole = new ByteBuffer();
    for (const [from, spans] of this.groups) this.group(whole, from, spans);
    return whole.written();
  }

  private span(
    writer: Writer,
    { trace, id, parent, name, kind, at, took, attributes, events, failure }: Span,
  ): void {
    identifier(writer, 1, trace);
    identifier(writer, 2, id);
    if (parent !== undefined) identifier(writer, 4, parent);
    this.text(writer, 5, name);
    writer.uint32(varint(6)).uint32(KINDS[kind]);
    nanos(writer, 7, at);
    nanos(writer, 8, at + took);
    this.attributes(writer, 9, attributes);
    for (const event of events) {
      writer.uint32(sized(11)).fork();
      nanos(writer, 1, event.at);
      this.text(writer, 2, event.name);
      this.attributes(writer, 3, event.attributes);
      writer.ldelim();
    }
    if (failure === undefined) return;
    writer.uint32(sized(15)).fork();
    this.text(writer, 2, failure);
    writer.uint32(varint(3)).uint32(FAILED).ldelim();
  }
}

/** What was counted is told as what was added since the time before. */
const DELTA = 1;

/** Where a metric has its points: numbers of the fields of gauges, sums and histograms. */
const DATA = { gauge: 5, sum: 7, histogram: 9 } as const;

function dataOf({ histogram, counted }: Measurement): number {
  if (histogram) return DATA.histogram;
  return counted ? DATA.sum : DATA.gauge;
}

/** A request that carries measurements, in the same manner. */
export class MetricsRequest extends OtlpRequest {
  private readonly groups = new Map<
    Instance | undefined,
    Map<string, { like: Measurement; points: ByteBuffer }>
  >();

  add(one: Measurement): void {
    const own = valueIn(this.groups, one.from, () => new Map<string, never>());
    const { points } = valueIn(own, one.metric, () => ({ like: one, points: new ByteBuffer() }));
    const writer = Writer.create().uint32(sized(1)).fork();
    this.point(writer, one);
    points.append(writer.ldelim().finish());
  }

  body(): Bytes {
    const whole = new ByteBuffer();
    for (const [from, metrics] of this.groups) {
      const items = new ByteBuffer();
      for (const { like, points } of metrics.values()) this.metric(items, like, points);
      this.group(whole, from, items);
    }
    return whole.written();
  }

  private metric(items: ByteBuffer, like: Measurement, points: ByteBuffer): void {
    const data = dataOf(like);
    const qualities = Writer.create();
    if (data !== DATA.gauge) qualities.uint32(varint(2)).uint32(DELTA);
    if (data === DATA.sum) qualities.uint32(varint(3)).bool(true);
    const end = qualities.finish();
    const names = Writer.create();
    this.text(names, 1, like.metric);
    this.text(names, 3, like.unit);
    const head = names
      .uint32(sized(data))
      .uint32(points.length + end.length)
      .finish();
    items.append(
      Writer.create()
        .uint32(sized(2))
        .uint32(head.length + points.length + end.length)
        .finish(),
    );
    for (const part of [head, points.written(), end]) items.append(part);
  }

  private point(writer: Writer, { at, value, histogram, labels, exemplar }: Measurement): void {
    nanos(writer, 3, at);
    if (histogram) {
      writer.uint32(eight(4)).fixed64(histogram.count).uint32(eight(5)).double(histogram.sum);
      writer.uint32(sized(6)).fork();
      for (const count of histogram.counts) writer.fixed64(count);
      writer.ldelim().uint32(sized(7)).fork();
      for (const bound of histogram.bounds) writer.double(bound);
      writer.ldelim();
    } else writer.uint32(eight(4)).double(value ?? NaN);
    if (labels) this.attributes(writer, histogram ? 9 : 7, labels);
    if (!exemplar) return;
    writer.uint32(sized(histogram ? 8 : 5)).fork();
    nanos(writer, 2, exemplar.at);
    writer.uint32(eight(3)).double(exemplar.value);
    identifier(writer, 4, exemplar.span);
    identifier(writer, 5, exemplar.trace);
    writer.ldelim();
  }
}
