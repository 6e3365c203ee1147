import fc from 'fast-check';
import { quantityOf } from '../records/quantity.js';
import { seriesKey } from '../series/series.js';
import { decodeUtf8 } from '../codec/bytes.js';
import { logLines, type Read, type SenderLines, spanLines } from './lines.js';
import { pointsIn } from '../testing/points.js';
import { metricPoints } from './points.js';
import { encodeRequest, encodeResponse } from './schema.js';
import { decodeRequest } from './wire.js';

const NANOS = '1772474400123456789';
const resource = {
  attributes: [
    { key: 'service.name', value: { stringValue: 'gull' } },
    { key: 'service.instance.id', value: { stringValue: 'gull-2' } },
    { key: 'host.name', value: { stringValue: 'nest-1' } },
    { key: 'cloud.availability_zone', value: { stringValue: 'cliff' } },
  ],
};
const logs = (...logRecords: object[]): object => ({
  resourceLogs: [{ resource, scopeLogs: [{ scope: { name: 'wings' }, logRecords }] }],
});
const spans = (...own: object[]): object => ({ resourceSpans: [{ resource, scopeSpans: [{ spans: own }] }] });
const metrics = (...own: object[]): object => ({
  resourceMetrics: [{ resource, scopeMetrics: [{ metrics: own }] }],
});
const linesIn = ({ bytes }: SenderLines): string[] => decodeUtf8(bytes).split('\n');
const firstLine = (read: Pick<Read<SenderLines>, 'parts'>): unknown =>
  JSON.parse(linesIn(read.parts[0]!)[0]!);

describe('log records of the protocol', () => {
  it('become lines under the names that everything joins on', () => {
    const { parts } = logLines(
      logs({
        timeUnixNano: NANOS,
        severityNumber: 17,
        severityText: 'ERROR',
        body: { stringValue: 'berth taken' },
        traceId: '5b8efff798038103d269b633813fc60c',
        spanId: 'eee19b7ec3c1b174',
        attributes: [
          { key: 'berth', value: { intValue: '7' } },
          { key: 'level', value: { stringValue: 'high water' } },
          { key: 'tags', value: { arrayValue: { values: [{ stringValue: 'a' }, { boolValue: true }] } } },
        ],
      }),
    );
    expect(parts[0]!.sender).toEqual({
      source: 'gull',
      attributes: {
        service: 'gull',
        instance: 'gull-2',
        host: 'nest-1',
        'cloud.availability_zone': 'cliff',
        site: 'cliff',
      },
    });
    expect(firstLine({ parts })).toEqual({
      time: '2026-03-02T18:00:00.123456Z',
      nanos: 789,
      level: 'ERROR',
      text: 'berth taken',
      trace: '5b8efff798038103d269b633813fc60c',
      span: 'eee19b7ec3c1b174',
      'scope.name': 'wings',
      berth: 7,
      'attributes.level': 'high water',
      tags: ['a', true],
    });
  });

  it.each([
    [{ severityNumber: 1 }, 'trace'],
    [{ severityNumber: 9 }, 'info'],
    [{ severityNumber: 13, severityText: 'Warning' }, 'Warning'],
    [{ severityNumber: 24, severityText: 'apocalypse' }, 'fatal'],
    [{}, undefined],
  ])('have a level: %j', (record, level) => {
    expect(firstLine(logLines(logs(record)))).toHaveProperty('text', '');
    expect((firstLine(logLines(logs(record))) as { level?: string }).level).toBe(level);
  });

  it('without a time have that of being observed, or none', () => {
    expect(firstLine(logLines(logs({ timeUnixNano: '0', observedTimeUnixNano: NANOS })))).toHaveProperty(
      'time',
    );
    expect(firstLine(logLines(logs({ body: { stringValue: 'x' } })))).not.toHaveProperty('time');
  });

  it('read the same from protocol buffers as from JSON', () => {
    const body = logs({
      timeUnixNano: NANOS,
      severityNumber: 9,
      body: { kvlistValue: { values: [{ key: 'a', value: { doubleValue: 1.5 } }] } },
      attributes: [{ key: 'n', value: { intValue: '-5' } }],
    });
    expect(logLines(decodeRequest('logs', encodeRequest('logs', body)))).toEqual(logLines(body));
  });

  it('are refused as a whole where the request is none', () => {
    expect(() => logLines([])).toThrow(TypeError);
    expect(() => logLines({ resourceLogs: 5 })).toThrow('is no list');
    expect(logLines({})).toEqual({ parts: [], rejected: 0, reason: '' });
    expect(() => decodeRequest('logs', Uint8Array.of(10, 200, 1))).toThrow();
  });

  it('never break, whatever they hold', () => {
    fc.assert(
      fc.property(fc.jsonValue(), fc.jsonValue(), (record, attributes) => {
        const { parts } = logLines({
          resourceLogs: [
            { resource: record, scopeLogs: [{ logRecords: [record, { attributes, body: record }] }] },
          ],
        });
        for (const part of parts) {
          const lines = linesIn(part);
          expect(lines).toHaveLength(part.lines);
          for (const line of lines) expect(() => void JSON.parse(line)).not.toThrow();
        }
      }),
    );
  });
});

describe('spans of the protocol', () => {
  const span = {
    traceId: '5b8efff798038103d269b633813fc60c',
    spanId: 'eee19b7ec3c1b174',
    parentSpanId: 'eee19b7ec3c1b173',
    name: 'reserve berth',
    kind: 2,
    startTimeUnixNano: NANOS,
    endTimeUnixNano: '1772474401123456790',
    status: { code: 2, message: 'taken' },
    attributes: [{ key: 'berth', value: { stringValue: 'b-7' } }],
    events: [{ timeUnixNano: '1772474400123556789', name: 'exception' }],
  };

  it('become records with a duration that loses nothing', () => {
    const line = firstLine(spanLines(spans(span))) as Record<string, unknown>;
    expect(line).toMatchObject({
      level: 'error',
      text: 'reserve berth',
      trace: span.traceId,
      span: span.spanId,
      parent: span.parentSpanId,
      kind: 'server',
      duration: '1000.000001ms',
      status: 'error',
      'status.message': 'taken',
      berth: 'b-7',
      events: [{ at: '0.100000ms', name: 'exception' }],
    });
    expect(quantityOf(line.duration as string)!.value).toBeCloseTo(1.000000001, 12);
  });

  it('read the same from protocol buffers, and where identifiers are in base64', () => {
    const base64 = {
      ...span,
      traceId: Buffer.from(span.traceId, 'hex').toString('base64'),
      spanId: Buffer.from(span.spanId, 'hex').toString('base64'),
      parentSpanId: Buffer.from(span.parentSpanId, 'hex').toString('base64'),
    };
    expect(spanLines(spans(base64))).toEqual(spanLines(spans(span)));
    expect(spanLines(decodeRequest('traces', encodeRequest('traces', spans(base64))))).toEqual(
      spanLines(spans(span)),
    );
  });

  it.each([
    [{ ...span, traceId: '00000000000000000000000000000000' }, 'no trace id'],
    [{ ...span, spanId: 'xyz' }, 'no span id'],
    [{ ...span, endTimeUnixNano: '5' }, 'ends before it starts'],
    [{ ...span, startTimeUnixNano: 'soon' }, 'no start and end'],
  ])('that make no sense are turned away by themselves', (bad, why) => {
    const { parts, rejected, reason } = spanLines(spans(bad, span));
    expect(rejected).toBe(1);
    expect(reason).toContain(why);
    expect(parts[0]!.lines).toBe(1);
  });
});

describe('metrics of the protocol', () => {
  const point = (more: object): object => ({ timeUnixNano: NANOS, ...more });
  const read = (metric: object) => {
    const found = metricPoints(metrics({ name: 'm', unit: 's', ...metric }));
    const { exemplars, rejected, reason } = found;
    return { points: pointsIn(found), exemplars, rejected, reason };
  };

  it.each([
    [{ gauge: { dataPoints: [point({ asDouble: 1.5 })] } }, 'gauge', false, { value: 1.5 }],
    [
      { sum: { aggregationTemporality: 2, isMonotonic: true, dataPoints: [point({ asInt: '7' })] } },
      'sum',
      true,
      { value: 7 },
    ],
    [
      { sum: { aggregationTemporality: 1, isMonotonic: true, dataPoints: [point({ asInt: '7' })] } },
      'sum',
      false,
      { value: 7 },
    ],
    [
      { sum: { aggregationTemporality: 2, dataPoints: [point({ asInt: '7' })] } },
      'gauge',
      false,
      { value: 7 },
    ],
    [
      {
        histogram: {
          aggregationTemporality: 2,
          dataPoints: [
            point({ count: '3', sum: 4.5, min: 0.5, bucketCounts: ['1', '0', '2'], explicitBounds: [1, 2] }),
          ],
        },
      },
      'histogram',
      true,
      { count: 3, sum: 4.5, min: 0.5, '-Infinity..1': 1, '2..Infinity': 2 },
    ],
    [
      {
        exponentialHistogram: {
          aggregationTemporality: 1,
          dataPoints: [
            point({
              count: '4',
              scale: 0,
              zeroCount: '1',
              positive: { offset: 1, bucketCounts: ['2'] },
              negative: { offset: 0, bucketCounts: ['1'] },
            }),
          ],
        },
      },
      'histogram',
      false,
      { count: 4, '0..0': 1, '2..4': 2, '-2..-1': 1 },
    ],
  ])('become points', (metric, kind, total, columns) => {
    const { points, rejected } = read(metric);
    expect(rejected).toBe(0);
    expect(points).toHaveLength(1);
    expect(points[0]).toMatchObject({ series: { metric: 'm', unit: 's', kind, total }, columns });
    expect(Object.keys(points[0]!.columns).sort()).toEqual(Object.keys(columns).sort());
    expect(points[0]!.at).toBe(1772474400123456);
    expect(points[0]!.series.labels).toEqual({
      service: 'gull',
      instance: 'gull-2',
      host: 'nest-1',
      site: 'cliff',
    });
  });

  it('of a summary become quantiles and totals', () => {
    const { points } = read({
      summary: {
        dataPoints: [point({ count: '9', sum: 3, quantileValues: [{ quantile: 0.5, value: 0.2 }] })],
      },
    });
    expect(
      points.map(({ series, columns }) => [series.metric, series.labels.quantile, columns.value]),
    ).toEqual([
      ['m', '0.5', 0.2],
      ['m.count', undefined, 9],
      ['m.sum', undefined, 3],
    ]);
  });

  it('keep exemplars with their request', () => {
    const { exemplars } = read({
      gauge: {
        dataPoints: [
          point({
            asDouble: 1,
            exemplars: [
              { timeUnixNano: NANOS, asDouble: 0.7, traceId: 'a'.repeat(32), spanId: 'b'.repeat(16) },
            ],
          }),
        ],
      },
    });
    expect(exemplars).toMatchObject([{ value: 0.7, trace: 'a'.repeat(32), span: 'b'.repeat(16) }]);
  });

  it('that make no sense are turned away by themselves; what was not measured is left out', () => {
    const { points, rejected, reason } = read({
      gauge: {
        dataPoints: [
          point({ asDouble: 1 }),
          point({ asDouble: 'NaN' }),
          { asDouble: 1 },
          point({ flags: 1 }),
          point({}),
        ],
      },
    });
    expect(points).toHaveLength(1);
    expect(rejected).toBe(3);
    expect(reason).toContain('has no number');
    expect(metricPoints(metrics({ gauge: {} })).rejected).toBe(1);
  });

  it('read the same from protocol buffers', () => {
    const body = metrics({
      name: 'm',
      exponentialHistogram: {
        aggregationTemporality: 2,
        dataPoints: [
          point({ count: '2', scale: -1, positive: { offset: -3, bucketCounts: ['0', '2'] }, min: 0.1 }),
        ],
      },
    });
    const binary = metricPoints(decodeRequest('metrics', encodeRequest('metrics', body)));
    expect(pointsIn(binary).map(({ series }) => seriesKey(series))).toEqual(
      pointsIn(metricPoints(body)).map(({ series }) => seriesKey(series)),
    );
    expect(pointsIn(binary)[0]!.columns).toMatchObject({ count: 2, min: 0.1, '0.0625..0.25': 2 });
  });
});

it('an answer tells how many were turned away', () => {
  expect(encodeResponse(0, '')).toHaveLength(0);
  expect(encodeResponse(3, 'why').length).toBeGreaterThan(5);
});
