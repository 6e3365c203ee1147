import type {
  ChangesSearchAnswer,
  EventsAnswer,
  ProblemBody,
  RunBody,
  RunsSearchAnswer,
} from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const START = Date.UTC(2026, 2, 2, 18);
const at = (second: number): string => new Date(START + second * 1000).toISOString();
const window = { from: at(0), to: at(600) };

const change = (id: string, second: number, more: object = {}): object => ({
  specversion: '1.0',
  id,
  source: '/control',
  type: 'org.example.deployment.finished',
  time: at(second),
  data: { service: 'gull', from: '1', to: '2' },
  ...more,
});
const event = (runId: string, second: number, eventType: string, more: object = {}): object => ({
  eventType,
  eventTime: at(second),
  run: { runId },
  job: { namespace: 'nest', name: 'count' },
  producer: 'urn:x',
  schemaURL: 'urn:x',
  ...more,
});

describe('changes and runs', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(() => app.end());

  const changes = async (): Promise<ChangesSearchAnswer> =>
    (await app.post<ChangesSearchAnswer>('/api/v1/changes/search', { window })).body;
  const runs = async (more: object = {}): Promise<RunsSearchAnswer> =>
    (await app.post<RunsSearchAnswer>('/api/v1/runs/search', { window, ...more })).body;

  it('takes changes one by one and in batches, each once', async () => {
    expect((await app.post<EventsAnswer>('/api/v1/intake/changes', change('a', 10))).body).toEqual({
      accepted: 1,
      malformed: 0,
      problems: [],
    });
    const batch = [change('a', 10), change('b', 5), { ...change('c', 7), specversion: '2' }, 'nothing'];
    const response = await fetch(`${app.url}/api/v1/intake/changes`, {
      method: 'POST',
      headers: { 'content-type': 'application/cloudevents-batch+json' },
      body: JSON.stringify(batch),
    });
    const answer = (await response.json()) as EventsAnswer;
    expect(answer).toMatchObject({ accepted: 2, malformed: 2 });
    expect(answer.problems.map(({ event: place }) => place)).toEqual([2, 3]);
    const found = await changes();
    expect(found.total).toBe(2);
    expect(found.changes.map(({ id, kind, title }) => [id, kind, title])).toEqual([
      ['b', 'deployment', 'deployment of gull: 1 → 2'],
      ['a', 'deployment', 'deployment of gull: 1 → 2'],
    ]);
    expect(found.changes[0]!.details).toEqual({ service: 'gull', from: '1', to: '2' });
  });

  it('puts runs together from events, in whatever order and however often they come', async () => {
    await app.post('/api/v1/intake/runs', [event('r1', 60, 'COMPLETE'), event('r2', 30, 'START')]);
    await app.post('/api/v1/intake/runs', [event('r1', 10, 'START'), event('r1', 60, 'COMPLETE')]);
    const found = await runs();
    expect(found.runs.map(({ id, state }) => [id, state])).toEqual([
      ['r1', 'done'],
      ['r2', 'running'],
    ]);
    const { body } = await app.get<RunBody>('/api/v1/runs/r1');
    expect(body).toMatchObject({ job: 'count', namespace: 'nest' });
    expect(body.states.map(({ state }) => state)).toEqual(['running', 'done']);
    expect(body.to!.slice(0, 19)).toBe(at(60).slice(0, 19));
    expect((await runs({ states: ['done'] })).runs.map(({ id }) => id)).toEqual(['r1']);
    expect((await runs({ job: 'other' })).total).toBe(0);
    // What has not ended goes on through every later window.
    const later = { from: at(500), to: at(600) };
    expect((await runs({ window: later })).runs.map(({ id }) => id)).toEqual(['r2']);
    expect((await app.get<ProblemBody>('/api/v1/runs/none')).status).toBe(404);
  });

  it('takes measurements as OpenMetrics text', async () => {
    const response = await fetch(`${app.url}/api/v1/intake/openmetrics?service=gull`, {
      method: 'POST',
      headers: { 'content-type': 'application/openmetrics-text' },
      body: `# TYPE eggs gauge\neggs{nest="a"} 3 ${START / 1000 + 5}\nbroken line here\n# EOF\n`,
    });
    expect(await response.json()).toMatchObject({ accepted: 1, malformed: 1 });
    const { body } = await app.post<{ lines: { labels: object; values: (number | null)[] }[] }>(
      '/api/v1/metrics/query',
      { window, metric: 'eggs', by: ['service', 'nest'], points: 1 },
    );
    expect(body.lines).toMatchObject([{ labels: { service: 'gull', nest: 'a' } }]);
    expect(body.lines[0]!.values).toContain(3);
  });

  it.each([
    ['changes', '', 400],
    ['changes', '{"specversion":', 400],
    ['runs', '\u0000', 400],
  ])('refuses to take %s from %j', async (path, body, status) => {
    const response = await fetch(`${app.url}/api/v1/intake/${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body,
    });
    expect(response.status).toBe(status);
  });

  const send = async (
    path: string,
    body: string,
    headers: Record<string, string> = {},
  ): Promise<{ status: number; body: EventsAnswer & ProblemBody }> => {
    const response = await fetch(`${app.url}/api/v1/intake/${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', ...headers },
      body,
    });
    return { status: response.status, body: (await response.json()) as EventsAnswer & ProblemBody };
  };

  it('takes events whose attributes are headers', async () => {
    const headers = {
      'ce-specversion': '1.0',
      'ce-id': 'binary-1',
      'ce-source': '/other%20control',
      'ce-type': 'org.example.config.changed',
      'ce-time': at(20),
    };
    const data = JSON.stringify({ service: 'gull', title: 'from headers' });
    expect(await send('changes', data, headers)).toMatchObject({ status: 200, body: { accepted: 1 } });
    const without: Record<string, string> = { ...headers };
    delete without['ce-id'];
    expect(await send('changes', data, without)).toMatchObject({ status: 400, body: { code: 'no-event' } });
    const found = (await changes()).changes.find(({ id }) => id === 'binary-1');
    expect(found).toMatchObject({ source: '/other control', kind: 'configuration', title: 'from headers' });
  });

  it('takes one event a line, and a bad line spoils only itself', async () => {
    const lines = [change('l1', 30), change('l2', 31)].map((event) => JSON.stringify(event));
    const { status, body } = await send('changes', [lines[0], '{"broken', lines[1]].join('\n'));
    expect([status, body.accepted, body.malformed]).toEqual([200, 2, 1]);
    expect(body.problems).toMatchObject([{ event: 1 }]);
  });

  it.each([
    ['a webhook that is no event', 'changes', JSON.stringify({ action: 'opened', number: 3 }), 'no-event'],
    ['a list of nothing known', 'runs', JSON.stringify([{}, { a: 1 }]), 'no-event'],
    ['an empty list', 'changes', '[]', 'empty'],
    ['lists within lists', 'changes', '['.repeat(200_000) + ']'.repeat(200_000), 'too-deep'],
    [
      'more than a request may bring',
      'changes',
      JSON.stringify(Array.from({ length: 10_001 }, (_, index) => change(`m${index}`, 1))),
      'too-many',
    ],
    [
      'a time that no clock shows',
      'changes',
      JSON.stringify(change('x', 1, { time: '9999-01-01T00:00:00Z' })),
      'no-event',
    ],
    ['measurements that are none', 'openmetrics', 'not a measurement', 'not-openmetrics'],
    ['measurements without a time', 'openmetrics', 'w 1 NaN\n# EOF\n', 'not-openmetrics'],
  ])('says what is wrong with %s', async (_, path, body, code) => {
    expect(await send(path, body)).toMatchObject({ status: 400, body: { code } });
  });

  it('tells the newest changes of many, and how many there are', async () => {
    const many = Array.from({ length: 3000 }, (_, index) => change(`n${index}`, 100 + index / 10));
    expect((await send('changes', JSON.stringify(many))).body.accepted).toBe(3000);
    const { body } = await app.post<ChangesSearchAnswer>('/api/v1/changes/search', { window, limit: 2 });
    expect(body.changes.map(({ id }) => id)).toEqual(['n2998', 'n2999']);
    expect(body.total).toBeGreaterThanOrEqual(3000);
  });

  it('refuses events that are no JSON by their type', async () => {
    const response = await fetch(`${app.url}/api/v1/intake/runs`, {
      method: 'POST',
      headers: { 'content-type': 'application/xml' },
      body: '<run/>',
    });
    expect(response.status).toBe(415);
  });
});

// An application of its own: one process has one database open at a time.
describe('changes and runs that were acknowledged', () => {
  it('are there after a restart', async () => {
    const { app: first, data } = await TestApp.start();
    const url = (await first.getUrl()).replace('[::1]', '127.0.0.1');
    const headers = { 'content-type': 'application/json' };
    for (const [path, body] of [
      ['changes', change('z', 10)],
      ['runs', event('r9', 10, 'START')],
    ] as const)
      await fetch(`${url}/api/v1/intake/${path}`, { method: 'POST', headers, body: JSON.stringify(body) });
    await first.close();
    const again = await TestApp.start(data);
    await again.post('/api/v1/intake/runs', event('r9', 20, 'FAIL'));
    const found = await again.post<ChangesSearchAnswer>('/api/v1/changes/search', { window });
    expect(found.body.changes.map(({ id }) => id)).toEqual(['z']);
    const run = await again.get<RunBody>('/api/v1/runs/r9');
    expect(run.body.states.map(({ state }) => state)).toEqual(['running', 'failed']);
    await again.end();
  });
});
