import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { otlpIn } from '../testing/otlp.js';
import { INSTANCES } from '../world/company.js';
import { drawDisguise } from '../world/disguise.js';
import { type Line, say } from '../world/line.js';
import { Random } from '../world/random.js';
import { noSignals, type Signals, type Span } from '../world/signals.js';
import { Sender } from './sender.js';

interface Got {
  url: string;
  key: string;
  type: string;
  body: string;
  bytes: Buffer;
}

/** A small intake that answers as it is told. */
async function intake(
  answer: (attempt: number) => number,
): Promise<{ server: Server; url: string; got: Got[] }> {
  const got: Got[] = [];
  const server = createServer((request: IncomingMessage, response) => {
    const parts: Buffer[] = [];
    request.on('data', (part: Buffer) => parts.push(part));
    request.on('end', () => {
      const bytes = Buffer.concat(parts);
      const { 'idempotency-key': key, 'content-type': type } = request.headers;
      got.push({ url: request.url!, key: String(key), type: String(type), body: bytes.toString(), bytes });
      response.statusCode = answer(got.length);
      response.end('{}');
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { server, url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, got };
}

const line = (service: string, index: number, text: string) =>
  say(INSTANCES.get(service)![index]!, Date.UTC(2026, 2, 2), 'INFO', text);

const AT = Date.UTC(2026, 2, 2);
const span = (more: Partial<Span>): Span => ({
  from: INSTANCES.get('boarding-api')![0]!,
  trace: 'a'.repeat(32),
  id: 'b'.repeat(16),
  name: 'scan pass',
  kind: 'server',
  at: AT,
  took: 12.5,
  attributes: {},
  events: [],
  ...more,
});
const base64 = (hex: string): string => Buffer.from(hex, 'hex').toString('base64');

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
    const at = AT;
    await new Sender(url, 'run').send('stretch', {
      lines: [],
      spans: [
        span({
          parent: 'c'.repeat(16),
          failure: 'too late',
          attributes: { sailing: 'SL-1', n: 2, below: -3, share: 0.5, late: true },
          events: [{ name: 'exception', at: AT + 1, attributes: { 'exception.type': 'é' } }],
        }),
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
    const bodies = new Map(
      got.map(({ url: path, type, body, bytes }): [string, unknown] => [
        path,
        type === 'application/json'
          ? (JSON.parse(body) as unknown)
          : otlpIn(path === '/v1/traces' ? 'Traces' : 'Metrics', bytes),
      ]),
    );
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
                  traceId: base64('a'.repeat(32)),
                  spanId: base64('b'.repeat(16)),
                  parentSpanId: base64('c'.repeat(16)),
                  name: 'scan pass',
                  kind: 2,
                  startTimeUnixNano: nanos,
                  endTimeUnixNano: `${at + 12}500000`,
                  status: { code: 2, message: 'too late' },
                  attributes: [
                    { key: 'sailing', value: { stringValue: 'SL-1' } },
                    { key: 'n', value: { intValue: '2' } },
                    { key: 'below', value: { intValue: '-3' } },
                    { key: 'share', value: { doubleValue: 0.5 } },
                    { key: 'late', value: { boolValue: true } },
                  ],
                  events: [
                    {
                      name: 'exception',
                      timeUnixNano: `${at + 1}000000`,
                      attributes: [{ key: 'exception.type', value: { stringValue: 'é' } }],
                    },
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
                { name: 'depth', unit: 'm', gauge: { dataPoints: [{ timeUnixNano: nanos, asDouble: 4 }] } },
                {
                  name: 'took',
                  histogram: {
                    aggregationTemporality: 1,
                    dataPoints: [
                      {
                        explicitBounds: [1],
                        bucketCounts: ['2', '1'],
                        count: '3',
                        sum: 4,
                        exemplars: [{ timeUnixNano: nanos, asDouble: 2, traceId: base64('a'.repeat(32)) }],
                      },
                    ],
                  },
                },
              ],
            },
          ],
        },
        {
          scopeMetrics: [
            {
              metrics: [
                {
                  name: 'boardings',
                  sum: { isMonotonic: true, aggregationTemporality: 1, dataPoints: [{ asDouble: 3 }] },
                },
              ],
            },
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

  it('sends everything under other names, where things are to have others', async () => {
    const { server, url, got } = await intake(() => 200);
    const told = drawDisguise(new Random('a'));
    await new Sender(url, 'run', told).send('stretch', {
      ...noSignals(),
      lines: [line('boarding-api', 0, 'the lease is lost')],
      spans: [span({ attributes: { vessel_class: 'catamaran' } })],
      measurements: [{ metric: 'boardings', unit: '', at: AT, value: 3, labels: { port: 'north-quay' } }],
      changes: [{ id: 'c', source: 's', type: 't', at: AT, data: { service: 'boarding-api' } }],
    });
    server.close();
    expect(got).toHaveLength(4);
    const all = got.map((one) => decodeURIComponent(one.url) + one.bytes.toString('latin1')).join();
    for (const name of ['boarding-api', 'lease', 'catamaran', 'vessel_class', 'boardings', 'north-quay']) {
      expect(all).not.toMatch(new RegExp(`\\b${name}\\b`));
      expect(all).toContain(told(name));
    }
  });

  it('sends again under the same key when the intake is busy or away', async () => {
    const { server, url, got } = await intake((attempt) => (attempt === 1 ? 429 : attempt === 2 ? 503 : 200));
    await new Sender(url, 'run').send('stretch', only([line('ledger-db', 0, 'c')]));
    server.close();
    expect(got).toHaveLength(3);
    expect(new Set(got.map(({ key }) => key)).size).toBe(1);
  });

  it('sends again what broke off after a long while, and gives up when nothing is taken for long', async () => {
    const patience = 300;
    let requests = 0;
    const server = createServer((request, response) => {
      const own = ++requests;
      request.resume().on('end', () =>
        setTimeout(() => {
          if (own === 1) request.socket.destroy();
          else response.end('{}');
        }, 2 * patience),
      );
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    const sender = (): Sender => new Sender(url, 'run', undefined, patience);
    await sender().send('stretch', only([line('ledger-db', 0, 'c')]));
    expect(requests).toBe(2);
    server.closeAllConnections();
    await new Promise((resolve) => server.close(resolve));
    await expect(sender().send('stretch', only([line('ledger-db', 0, 'c')]))).rejects.toThrow(
      /does not take what is sent: .*ECONNREFUSED/,
    );
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
