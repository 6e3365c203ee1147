import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { INSTANCES } from '../world/company.js';
import { type Line, say } from '../world/line.js';
import { noSignals, type Signals } from '../world/signals.js';
import { Sender } from './sender.js';

interface Got {
  url: string;
  key: string;
  body: string;
}

/** A small intake that answers as it is told. */
async function intake(
  answer: (attempt: number) => number,
): Promise<{ server: Server; url: string; got: Got[] }> {
  const got: Got[] = [];
  const server = createServer((request: IncomingMessage, response) => {
    let body = '';
    request.on('data', (part: Buffer) => (body += part.toString()));
    request.on('end', () => {
      got.push({ url: request.url!, key: String(request.headers['idempotency-key']), body });
      response.statusCode = answer(got.length);
      response.end('{}');
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { server, url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, got };
}

const line = (service: string, index: number, text: string) =>
  say(INSTANCES.get(service)![index]!, Date.UTC(2026, 2, 2), 'INFO', text);

const only = (lines: Line[]): Signals => ({ ...noSignals(), lines });

describe('the sender', () => {
  it('sends a batch a source, with a key, and declares what the lines do not say', async () => {
    const { server, url, got } = await intake(() => 200);
    const lines = [line('boarding-api', 0, 'a'), line('boarding-api', 1, 'b'), line('ledger-db', 0, 'c')];
    await new Sender(url, 'run').send('stretch', only(lines));
    server.close();
    expect(got).toHaveLength(2);
    const [json, plain] = [...got].sort((a, b) => (a.url < b.url ? -1 : 1));
    expect(json!.url).toContain('source=boarding-api');
    expect(json!.url).not.toContain('attr.host');
    expect(json!.body.split('\n')).toHaveLength(2);
    expect(plain!.url).toContain('attr.instance=ledger-db-1');
    expect(plain!.key).toContain('run/stretch/');
  });

  it('sends spans, measurements, changes and runs where they belong', async () => {
    const { server, url, got } = await intake(() => 200);
    const from = INSTANCES.get('boarding-api')![0]!;
    const at = Date.UTC(2026, 2, 2);
    await new Sender(url, 'run').send('stretch', {
      lines: [],
      spans: [
        {
          from,
          trace: 'a'.repeat(32),
          id: 'b'.repeat(16),
          name: 'scan pass',
          kind: 'server',
          at,
          took: 12.5,
          failure: 'too late',
          attributes: { sailing: 'SL-1', n: 2, share: 0.5, late: true },
          events: [{ name: 'exception', at: at + 1, attributes: {} }],
        },
      ],
      measurements: [
        { from, metric: 'depth', unit: 'm', at, value: 4 },
        { metric: 'boardings', unit: '', at, value: 3, counted: true },
        {
          from,
          metric: 'took',
          unit: 's',
          at,
          histogram: { bounds: [1], counts: [2, 1], sum: 4, count: 3 },
          exemplar: { trace: 'a'.repeat(32), span: 'b'.repeat(16), value: 2, at },
        },
      ],
      changes: [{ id: 'c', source: 's', type: 't', at, data: { service: 'x' } }],
      runs: [{ runId: 'r', job: 'j', at, type: 'START', facets: { flail_state: { state: 'starting' } } }],
    });
    server.close();
    const bodies = new Map(got.map(({ url: path, body }) => [path, JSON.parse(body) as unknown]));
    expect([...bodies.keys()].sort()).toEqual([
      '/api/v1/intake/changes',
      '/api/v1/intake/runs',
      '/v1/metrics',
      '/v1/traces',
    ]);
    const resource = {
      attributes: expect.arrayContaining([
        { key: 'service.name', value: { stringValue: 'boarding-api' } },
        { key: 'service.instance.id', value: { stringValue: from.name } },
      ]) as unknown,
    };
    const nanos = `${at}000000`;
    expect(bodies.get('/v1/traces')).toMatchObject({
      resourceSpans: [
        {
          resource,
          scopeSpans: [
            {
              spans: [
                {
                  traceId: 'a'.repeat(32),
                  spanId: 'b'.repeat(16),
                  kind: 2,
                  startTimeUnixNano: nanos,
                  endTimeUnixNano: `${at + 12}500000`,
                  status: { code: 2, message: 'too late' },
                  attributes: [
                    { key: 'sailing', value: { stringValue: 'SL-1' } },
                    { key: 'n', value: { intValue: '2' } },
                    { key: 'share', value: { doubleValue: 0.5 } },
                    { key: 'late', value: { boolValue: true } },
                  ],
                },
              ],
            },
          ],
        },
      ],
    });
    expect(bodies.get('/v1/metrics')).toMatchObject({
      resourceMetrics: [
        {
          resource,
          scopeMetrics: [
            {
              metrics: [
                { name: 'depth', gauge: { dataPoints: [{ timeUnixNano: nanos, asDouble: 4 }] } },
                {
                  name: 'took',
                  histogram: {
                    aggregationTemporality: 1,
                    dataPoints: [
                      { explicitBounds: [1], bucketCounts: ['2', '1'], count: '3', exemplars: [{}] },
                    ],
                  },
                },
              ],
            },
          ],
        },
        {
          scopeMetrics: [
            { metrics: [{ name: 'boardings', sum: { isMonotonic: true, dataPoints: [{ asDouble: 3 }] } }] },
          ],
        },
      ],
    });
    expect(bodies.get('/api/v1/intake/changes')).toMatchObject([
      { specversion: '1.0', id: 'c', source: 's', type: 't', time: new Date(at).toISOString() },
    ]);
    expect(bodies.get('/api/v1/intake/runs')).toMatchObject([
      {
        eventType: 'START',
        run: { runId: 'r', facets: { flail_state: { state: 'starting' } } },
        job: { name: 'j' },
      },
    ]);
  });

  it('sends again under the same key when the intake is busy or away', async () => {
    const { server, url, got } = await intake((attempt) => (attempt === 1 ? 429 : attempt === 2 ? 503 : 200));
    await new Sender(url, 'run').send('stretch', only([line('ledger-db', 0, 'c')]));
    server.close();
    expect(got).toHaveLength(3);
    expect(new Set(got.map(({ key }) => key)).size).toBe(1);
  });

  it('gives up at once when a batch is refused for good', async () => {
    const { server, url, got } = await intake(() => 400);
    await expect(new Sender(url, 'run').send('stretch', only([line('ledger-db', 0, 'c')]))).rejects.toThrow(
      'refuses a batch',
    );
    server.close();
    expect(got).toHaveLength(1);
  });
});
