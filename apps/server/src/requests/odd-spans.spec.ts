import type { RequestAnswer, RequestsSearchAnswer } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const START = Date.UTC(2026, 2, 2, 18);
const window = { from: new Date(START).toISOString(), to: new Date(START + 3_600_000).toISOString() };
const hex = (number: number, length: number): string => number.toString(16).padStart(length, '0');
const nanos = (millis: number): string => `${BigInt(START + millis) * 1_000_000n}`;

const span = (trace: number, id: number, parent: number | undefined, at: number, name = 'turn'): object => ({
  traceId: hex(trace, 32),
  spanId: hex(id, 16),
  ...(parent !== undefined && { parentSpanId: hex(parent, 16) }),
  name,
  kind: 2,
  startTimeUnixNano: nanos(at),
  endTimeUnixNano: nanos(at + 50),
});
const bodyOf = (spans: object[]): object => ({
  resourceSpans: [
    {
      resource: { attributes: [{ key: 'service.name', value: { stringValue: 'wheel' } }] },
      scopeSpans: [{ spans }],
    },
  ],
});

describe('spans that are not as they should be', () => {
  let app: TestApp;
  beforeEach(async () => {
    app = await TestApp.start();
  });
  afterEach(() => app.end());

  const list = async (): Promise<RequestsSearchAnswer> =>
    (await app.post<RequestsSearchAnswer>('/api/v1/requests/search', { window })).body;

  it('are shown where they go in a circle, which is cut and told of', async () => {
    const circles = {
      1: [span(1, 11, 11, 0)],
      2: [span(2, 21, 22, 10), span(2, 22, 21, 20)],
      3: [span(3, 31, 33, 30), span(3, 32, 31, 40), span(3, 33, 32, 50), span(3, 34, 32, 60)],
    };
    const good = [span(4, 41, undefined, 70), span(4, 42, 41, 80)];
    await app.post('/v1/traces', bodyOf([...Object.values(circles).flat(), ...good]));
    const found = await list();
    expect(found.requests.map(({ trace }) => trace).sort()).toEqual([1, 2, 3, 4].map((one) => hex(one, 32)));
    for (const [trace, spans] of Object.entries(circles)) {
      const { status, body } = await app.get<RequestAnswer>(`/api/v1/requests/${hex(Number(trace), 32)}`);
      expect([status, body.spans.length]).toEqual([200, spans.length]);
      expect(body.problems.join(' ')).toContain('named themselves as ancestors');
    }
  });

  it('are of few operations, however many names they have, and one is called what it was called', async () => {
    const spans = Array.from({ length: 300 }, (_, index) =>
      span(
        index + 1,
        index + 1,
        undefined,
        index * 10,
        `GET /account/${index * 7919}/orders/${hex(index * 104_729, 12)}`,
      ),
    );
    await app.post('/v1/traces', bodyOf(spans));
    expect((await list()).operations.map(({ operation }) => operation)).toEqual(['GET /account/*/orders/*']);
    const one = await app.get<RequestAnswer>(`/api/v1/requests/${hex(8, 32)}`);
    expect(one.body.spans[0]!.operation).toBe(`GET /account/${7 * 7919}/orders/${hex(7 * 104_729, 12)}`);
  });
});
