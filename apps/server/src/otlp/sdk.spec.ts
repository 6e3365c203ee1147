import type { LogsSearchAnswer, MetricsQueryAnswer, MetricsSearchAnswer } from '@flail/contract';
import { context, SpanStatusCode, trace } from '@opentelemetry/api';
import { SeverityNumber } from '@opentelemetry/api-logs';
import { OTLPLogExporter as JsonLogs } from '@opentelemetry/exporter-logs-otlp-http';
import { OTLPLogExporter as ProtoLogs } from '@opentelemetry/exporter-logs-otlp-proto';
import {
  AggregationTemporalityPreference,
  OTLPMetricExporter as JsonMetrics,
} from '@opentelemetry/exporter-metrics-otlp-http';
import { OTLPMetricExporter as ProtoMetrics } from '@opentelemetry/exporter-metrics-otlp-proto';
import { OTLPTraceExporter as JsonTraces } from '@opentelemetry/exporter-trace-otlp-http';
import { OTLPTraceExporter as ProtoTraces } from '@opentelemetry/exporter-trace-otlp-proto';
import { resourceFromAttributes } from '@opentelemetry/resources';
import { BatchLogRecordProcessor, LoggerProvider } from '@opentelemetry/sdk-logs';
import { AggregationType, MeterProvider, PeriodicExportingMetricReader } from '@opentelemetry/sdk-metrics';
import { BatchSpanProcessor, NodeTracerProvider } from '@opentelemetry/sdk-trace-node';
import { TestApp } from '../testing/test-app.js';

const window = {
  from: new Date(Date.now() - 600_000).toISOString(),
  to: new Date(Date.now() + 600_000).toISOString(),
};

/** An application as anybody would instrument it. */
async function runApplication(url: string, service: string, form: 'json' | 'protobuf'): Promise<string> {
  const resource = resourceFromAttributes({
    'service.name': service,
    'service.instance.id': `${service}-1`,
    'host.name': 'nest-1',
  });
  const to = (signal: string) => ({ url: `${url}/v1/${signal}`, compression: 'gzip' as never });
  const traceExporter = form === 'json' ? new JsonTraces(to('traces')) : new ProtoTraces(to('traces'));
  const logExporter = form === 'json' ? new JsonLogs(to('logs')) : new ProtoLogs(to('logs'));
  const metricOptions = {
    ...to('metrics'),
    temporalityPreference: AggregationTemporalityPreference.CUMULATIVE,
  };
  const metricExporter = form === 'json' ? new JsonMetrics(metricOptions) : new ProtoMetrics(metricOptions);
  const tracers = new NodeTracerProvider({
    resource,
    spanProcessors: [new BatchSpanProcessor(traceExporter)],
  });
  const loggers = new LoggerProvider({
    resource,
    processors: [new BatchLogRecordProcessor({ exporter: logExporter })],
  });
  const meters = new MeterProvider({
    resource,
    readers: [new PeriodicExportingMetricReader({ exporter: metricExporter, exportIntervalMillis: 600_000 })],
    views: [{ instrumentName: 'dive.depth', aggregation: { type: AggregationType.EXPONENTIAL_HISTOGRAM } }],
  });
  const tracer = tracers.getTracer('wings');
  const logger = loggers.getLogger('wings');
  const meter = meters.getMeter('wings');
  const flights = meter.createCounter('flights', { unit: '{flight}' });
  const took = meter.createHistogram('flight.duration', { unit: 's' });
  const depth = meter.createHistogram('dive.depth', { unit: 'm' });
  meter.createObservableGauge('birds').addCallback((result) => result.observe(7, { kind: 'tern' }));
  flights.add(0);
  await meters.forceFlush();
  const parent = tracer.startSpan('fly', { attributes: { route: '/cliff' } });
  const child = tracer.startSpan('dive', {}, trace.setSpan(context.active(), parent));
  logger.emit({
    severityNumber: SeverityNumber.ERROR,
    severityText: 'ERROR',
    body: `the water is too cold for ${service}`,
    attributes: { degrees: 4 },
    context: trace.setSpan(context.active(), child),
  });
  child.recordException(new Error('cold'));
  child.setStatus({ code: SpanStatusCode.ERROR, message: 'cold' });
  child.end();
  parent.end();
  flights.add(12);
  for (const value of [0.2, 0.3, 0.4]) took.record(value);
  for (const value of [1, 2, 3, 50]) depth.record(value);
  await Promise.all([tracers.forceFlush(), loggers.forceFlush(), meters.forceFlush()]);
  await Promise.all([tracers.shutdown(), loggers.shutdown(), meters.shutdown()]);
  return parent.spanContext().traceId;
}

describe('an application with the OpenTelemetry SDK', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(() => app.end());

  const records = async (scope: string, dataset: string): Promise<LogsSearchAnswer['records']> =>
    (await app.post<LogsSearchAnswer>('/api/v1/logs/search', { window, scope, dataset })).body.records;
  const metric = async (body: object): Promise<MetricsQueryAnswer> =>
    (await app.post<MetricsQueryAnswer>('/api/v1/metrics/query', { window, points: 1, ...body })).body;

  it.each(['json', 'protobuf'] as const)(
    'shows up with logs, spans and metrics, sent as %s',
    async (form) => {
      const service = `gull-${form}`;
      const id = await runApplication(app.url, service, form);
      const [line] = await records(`service = ${service}`, 'live');
      expect(line).toMatchObject({
        level: 'error',
        text: `the water is too cold for ${service}`,
        source: service,
        fields: { trace: id, degrees: '4', instance: `${service}-1`, host: 'nest-1' },
      });
      const spans = await records(`trace = ${id}`, 'live/spans');
      const [fly, dive] = ['fly', 'dive'].map((name) => spans.find(({ text }) => text === name)!);
      expect(fly!.fields).toMatchObject({ route: '/cliff', kind: 'internal', status: 'unset' });
      expect(dive!.fields).toMatchObject({ parent: fly!.fields.span, status: 'error' });
      expect(dive!.fields.events).toContain('exception');
      expect(line!.fields.span).toBe(dive!.fields.span);
      const where = { service: [service] };
      const { metrics } = (await app.post<MetricsSearchAnswer>('/api/v1/metrics/search', { query: service }))
        .body;
      expect(metrics.map(({ metric: name, kind, unit }) => [name, kind, unit])).toEqual([
        ['birds', 'gauge', ''],
        ['dive.depth', 'histogram', 'm'],
        ['flight.duration', 'histogram', 's'],
        ['flights', 'sum', '{flight}'],
      ]);
      const birds = await metric({ metric: 'birds', where, by: ['kind'], aggregate: 'max' });
      expect(birds.lines).toMatchObject([{ labels: { kind: 'tern' } }]);
      expect(birds.lines[0]!.values.filter((value) => value !== null)).toEqual([7]);
      const flights = await metric({ metric: 'flights', where, aggregate: 'sum' });
      expect(flights.lines[0]!.values.reduce((sum: number, value) => sum + (value ?? 0), 0)).toBe(12);
    },
  );
});
