import type { TopologyAnswer } from '@flail/contract';
import { RecordStore } from '../store/record-store.js';
import { TestApp } from '../testing/test-app.js';
import { TopologyService } from './topology.service.js';

const START = Date.UTC(2026, 2, 2, 18);
const window = { from: new Date(START).toISOString(), to: new Date(START + 60_000).toISOString() };
const nanos = (second: number): string => `${START + second * 1000}000000`;

const resource = (service: string, host: string): object => ({
  attributes: Object.entries({
    'service.name': service,
    'service.instance.id': `${service}-1`,
    'host.name': host,
    site: 'cliff',
  }).map(([key, value]) => ({ key, value: { stringValue: value } })),
});
const span = (id: string, parent: string | undefined, second: number, more: object = {}): object => ({
  traceId: 'a'.repeat(32),
  spanId: id.repeat(16),
  ...(parent !== undefined && { parentSpanId: parent.repeat(16) }),
  name: 'fly',
  kind: 2,
  startTimeUnixNano: nanos(second),
  endTimeUnixNano: nanos(second + 1),
  ...more,
});

describe('what runs where, and who calls whom', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
    const peer = [{ key: 'peer.service', value: { stringValue: 'nest-db' } }];
    // Callers and called come in different requests, and so lie in different segments.
    for (const [service, host, spans] of [
      ['edge', 'h1', [span('1', undefined, 0)]],
      [
        'gull',
        'h2',
        [span('2', '1', 1, { status: { code: 2 } }), span('3', '2', 2, { kind: 3, attributes: peer })],
      ],
      ['tern', 'h2', [span('4', '2', 3), span('5', '2', 100)]],
    ] as const) {
      const body = { resourceSpans: [{ resource: resource(service, host), scopeSpans: [{ spans }] }] };
      await app.post('/v1/traces', body);
    }
    const line = JSON.stringify({ ts: window.from, msg: 'x', service: 'auk', host: 'h3' });
    await app.take(line, 'source=auk');
  });
  afterAll(() => app.end());

  it('is derived from spans and lines', async () => {
    const { body } = await app.post<TopologyAnswer>('/api/v1/topology/search', { window });
    expect(body.entities).toEqual([
      { service: 'auk', host: 'h3', records: 1 },
      { service: 'edge', instance: 'edge-1', host: 'h1', site: 'cliff', records: 1 },
      { service: 'gull', instance: 'gull-1', host: 'h2', site: 'cliff', records: 2 },
      { service: 'tern', instance: 'tern-1', host: 'h2', site: 'cliff', records: 1 },
    ]);
    expect(body.calls).toEqual([
      { from: 'edge', to: 'gull', calls: 1, failed: 1, duration: 1, p95: 1 },
      { from: 'gull', to: 'nest-db', calls: 1, failed: 0, duration: 1, p95: 1 },
      { from: 'gull', to: 'tern', calls: 1, failed: 0, duration: 1, p95: 1 },
    ]);
  });

  it('is empty where nothing was', async () => {
    const empty = { from: '2020-01-01T00:00:00Z', to: '2020-01-01T01:00:00Z' };
    const { body } = await app.post<TopologyAnswer>('/api/v1/topology/search', { window: empty });
    expect(body).toEqual({ entities: [], calls: [] });
  });

  it('shows a restricted asker only what touches their services', async () => {
    const asker = { name: 'd', role: 'developer', services: ['tern'] } as const;
    const dataset = app.app.get(RecordStore).dataset();
    const all = { from: START * 1000, to: (START + 60_000) * 1000 };
    const found = await app.app.get(TopologyService).topology(dataset, asker, all);
    expect(found.entities.map(({ service }) => service)).toEqual(['tern']);
    expect(found.calls.map(({ from, to }) => [from, to])).toEqual([['gull', 'tern']]);
  });
});
