import fc from 'fast-check';
import protobuf from 'protobufjs';
import { itemsOf } from './items.js';
import { logLines, spanLines } from './lines.js';
import { metricPoints } from './points.js';
import { encodeRequest, requestType, type Signal } from './schema.js';
import { decodeRequest, WireError } from './wire.js';

/** A request as another reader of protocol buffers has it. */
function readOtherwise(signal: Signal, bytes: Uint8Array): unknown {
  const type = requestType(signal);
  return type.toObject(type.decode(bytes), { longs: String });
}

const READ: Record<Signal, (request: unknown) => unknown> = {
  logs: logLines,
  traces: spanLines,
  metrics: metricPoints,
};
const read = (signal: Signal, bytes: Uint8Array): unknown => READ[signal](decodeRequest(signal, bytes));

const nanos = fc.bigInt({ min: 0n, max: 2n ** 64n - 1n }).map(String);
const integer = fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }).map(String);
const count = fc.bigInt({ min: 0n, max: 2n ** 53n }).map(String);
const number = fc.double({ noNaN: true });
const text = fc.oneof(fc.string(), fc.string({ unit: 'binary', maxLength: 80 }), fc.constant('sailing'));
const id = (length: number) => fc.uint8Array({ minLength: length, maxLength: length });
const { value } = fc.letrec<{ value: object }>((tie) => ({
  value: fc.oneof(
    { maxDepth: 3 },
    fc.record({ stringValue: text }),
    fc.record({ boolValue: fc.boolean() }),
    fc.record({ intValue: fc.oneof(integer, fc.integer().map(String)) }),
    fc.record({ doubleValue: number }),
    fc.record({ bytesValue: fc.uint8Array({ maxLength: 9 }) }),
    fc.record({ arrayValue: fc.record({ values: fc.array(tie('value'), { maxLength: 3 }) }) }),
    fc.record({
      kvlistValue: fc.record({
        values: fc.array(fc.record({ key: text, value: tie('value') }), { maxLength: 3 }),
      }),
    }),
    fc.constant({}),
  ),
}));
const attributes = fc.array(fc.record({ key: text, value }, { requiredKeys: [] }), { maxLength: 4 });
const some = <T>(model: { [K in keyof T]: fc.Arbitrary<T[K]> }) => fc.record(model, { requiredKeys: [] });

const span = some({
  traceId: id(16),
  spanId: id(8),
  parentSpanId: id(8),
  name: text,
  kind: fc.integer({ min: -1, max: 7 }),
  startTimeUnixNano: nanos,
  endTimeUnixNano: nanos,
  attributes,
  events: fc.array(some({ timeUnixNano: nanos, name: text, attributes }), { maxLength: 2 }),
  links: fc.array(some({ traceId: id(16), spanId: id(8) }), { maxLength: 2 }),
  status: some({ code: fc.integer({ min: 0, max: 3 }), message: text }),
});
const record = some({
  timeUnixNano: nanos,
  observedTimeUnixNano: nanos,
  severityNumber: fc.integer({ min: -3, max: 30 }),
  severityText: text,
  body: value,
  attributes,
  traceId: id(16),
  spanId: id(8),
  eventName: text,
});
const exemplars = fc.array(some({ timeUnixNano: nanos, asDouble: number, traceId: id(16), spanId: id(8) }), {
  maxLength: 2,
});
const numberPoints = fc.record({
  dataPoints: fc.array(
    fc.oneof(
      some({ timeUnixNano: nanos, asDouble: number, attributes, exemplars }),
      some({ timeUnixNano: nanos, asInt: integer, attributes, flags: fc.integer({ min: 0, max: 3 }) }),
    ),
    { maxLength: 4 },
  ),
});
const histogram = fc.record({
  aggregationTemporality: fc.integer({ min: 0, max: 2 }),
  dataPoints: fc.array(
    some({
      timeUnixNano: nanos,
      count,
      sum: number,
      min: number,
      bucketCounts: fc.array(count, { maxLength: 4 }),
      explicitBounds: fc.array(number, { maxLength: 3 }),
      exemplars,
    }),
    { maxLength: 3 },
  ),
});
const buckets = some({
  offset: fc.integer({ min: -9, max: 9 }),
  bucketCounts: fc.array(count, { maxLength: 4 }),
});
const exponential = fc.record({
  dataPoints: fc.array(
    some({
      timeUnixNano: nanos,
      count,
      scale: fc.integer({ min: -12, max: 22 }),
      zeroCount: count,
      positive: buckets,
      negative: buckets,
    }),
    { maxLength: 3 },
  ),
});
const summary = fc.record({
  dataPoints: fc.array(
    some({
      timeUnixNano: nanos,
      count,
      sum: number,
      quantileValues: fc.array(some({ quantile: number, value: number })),
    }),
    { maxLength: 2 },
  ),
});
const metric = fc.oneof(
  some({ name: text, unit: text, gauge: numberPoints }),
  some({ name: text, sum: numberPoints }),
  some({ name: text, histogram }),
  some({ name: text, exponentialHistogram: exponential }),
  some({ name: text, summary }),
);
const grouped = (groups: string, scopes: string, items: string, item: fc.Arbitrary<object>) =>
  fc
    .array(
      some({
        resource: fc.record({ attributes }),
        [scopes]: fc.array(some({ scope: some({ name: text }), [items]: fc.array(item, { maxLength: 4 }) }), {
          maxLength: 2,
        }),
      }),
      { maxLength: 3 },
    )
    .map((all) => ({ [groups]: all }));
const REQUESTS: Record<Signal, fc.Arbitrary<object>> = {
  logs: grouped('resourceLogs', 'scopeLogs', 'logRecords', record),
  traces: grouped('resourceSpans', 'scopeSpans', 'spans', span),
  metrics: grouped('resourceMetrics', 'scopeMetrics', 'metrics', metric),
};
const SIGNALS = ['logs', 'traces', 'metrics'] as const;

describe('requests in protocol buffers', () => {
  it.each(SIGNALS)('say of %s what another reader says', (signal) => {
    fc.assert(
      fc.property(REQUESTS[signal], (request) => {
        const bytes = encodeRequest(signal, request);
        expect(read(signal, bytes)).toEqual(READ[signal](readOtherwise(signal, bytes)));
      }),
    );
  });

  it.each(SIGNALS)('of %s are refused where they end too early or hold anything', (signal) => {
    fc.assert(
      fc.property(REQUESTS[signal], fc.double({ min: 0, max: 0.99 }), fc.uint8Array(), (request, at, any) => {
        const whole = encodeRequest(signal, request);
        for (const bytes of [
          whole.subarray(0, Math.floor(whole.length * at)),
          any,
          whole.map((one) => one ^ 64),
        ])
          try {
            read(signal, bytes);
          } catch (error) {
            expect(error).toBeInstanceOf(WireError);
          }
      }),
    );
  });

  it('may hold what is not known', () => {
    const writer = protobuf.Writer.create();
    // A field of each way of being written, in groups as well, then one that is known.
    writer.uint32((900 << 3) | 0).uint64(5);
    writer.uint32((901 << 3) | 1).double(5);
    writer.uint32((902 << 3) | 2).string('tide');
    writer.uint32((903 << 3) | 5).fixed32(5);
    writer.uint32((904 << 3) | 3);
    writer.uint32((1 << 3) | 2).string('in a group');
    writer.uint32((905 << 3) | 3).uint32((905 << 3) | 4);
    writer.uint32((904 << 3) | 4);
    const known = encodeRequest('logs', {
      resourceLogs: [{ scopeLogs: [{ logRecords: [{ severityText: 'WARN' }] }] }],
    });
    const { parts } = logLines(decodeRequest('logs', Buffer.concat([writer.finish(), known])));
    expect(parts.map(({ lines }) => lines)).toEqual([1]);
  });

  it('may give numbers one by one or together', () => {
    const counts = (write: (writer: protobuf.Writer) => void): unknown => {
      const writer = protobuf.Writer.create();
      const open = [1, 2, 2, 9, 1];
      for (const field of open) writer.uint32((field << 3) | 2).fork();
      write(writer);
      for (let level = 0; level < open.length; level++) writer.ldelim();
      const { resourceMetrics } = decodeRequest('metrics', writer.finish()) as {
        resourceMetrics: { scopeMetrics: { metrics: unknown }[] }[];
      };
      return [...itemsOf(resourceMetrics[0]!.scopeMetrics[0]!.metrics)];
    };
    const together = counts((writer) =>
      writer
        .uint32((6 << 3) | 2)
        .fork()
        .fixed64(3)
        .fixed64(4)
        .ldelim(),
    );
    const oneByOne = counts((writer) =>
      writer
        .uint32((6 << 3) | 1)
        .fixed64(3)
        .uint32((6 << 3) | 1)
        .fixed64(4),
    );
    expect(together).toEqual([{ histogram: { dataPoints: [{ bucketCounts: [3, 4] }] } }]);
    expect(oneByOne).toEqual(together);
  });

  it('are refused where values are in values without end', () => {
    let nested: object = { stringValue: 'x' };
    for (let depth = 0; depth < 40; depth++) nested = { arrayValue: { values: [nested] } };
    const request = { resourceLogs: [{ scopeLogs: [{ logRecords: [{ body: nested }] }] }] };
    expect(() => read('logs', encodeRequest('logs', request))).toThrow('too deep');
    expect(() =>
      read(
        'logs',
        Uint8Array.from({ length: 99 }, () => (9 << 3) | 3),
      ),
    ).toThrow('too deep');
  });
});
