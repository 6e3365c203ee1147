import type { ProblemBody, RunAnswer, RunsTallyAnswer } from '@flail/contract';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { configOf } from '../config/config.js';
import { TestApp } from '../testing/test-app.js';
import { OutsideSystems } from '../outside/outside-systems.service.js';

const START = Date.UTC(2026, 2, 2, 18);
const MINUTE = 60_000;
const at = (minute: number): string => new Date(START + minute * MINUTE).toISOString();
const window = { from: at(0), to: at(120) };

const event = (runId: string, minute: number, eventType: string, facets: object = {}): object => ({
  eventType,
  eventTime: at(minute),
  producer: 'https://example.org/test',
  schemaURL: 'https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs/RunEvent',
  run: { runId, facets },
  job: { namespace: 'nest', name: 'moult' },
});

describe('runs', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
    const events = Array.from({ length: 10 }, (_, round) => [
      event(`r${round}`, 10 * round, 'START'),
      event(`r${round}`, 10 * round + 1, round % 2 === 1 ? 'FAIL' : 'COMPLETE'),
    ]).flat();
    await app.post('/api/v1/intake/runs', [...events, event('hanging', 100, 'START')]);
    const lines = ['first', 'waits for the lock'].map((msg, index) =>
      JSON.stringify({ ts: at(101 + index), msg, service: 'nest', run: 'hanging' }),
    );
    await app.take([...lines, JSON.stringify({ ts: at(119), msg: 'other', service: 'nest' })].join('\n'));
  });
  afterAll(() => app.end());

  it('are tallied by job, and those that hang are told', async () => {
    const { body } = await app.post<RunsTallyAnswer>('/api/v1/runs/tally', { window });
    const [job] = body.jobs;
    expect(job).toMatchObject({ job: 'moult', parameter: '', runs: 11, failed: 5 });
    expect(job!.lines[0]!.strokes.map(({ state }) => state).slice(-3)).toEqual(['done', 'failed', 'running']);
    expect(body.stuck.map(({ run, state, usual }) => [run, state, usual])).toEqual([
      ['hanging', 'running', 60],
    ]);
    expect(body.actions).toEqual([]);
  });

  it('are shown with their account, the last good one and their lines', async () => {
    const failed = (await app.get<RunAnswer>('/api/v1/runs/r9')).body;
    expect(failed).toMatchObject({ id: 'r9', state: 'failed', good: { id: 'r8' } });
    const millis = failed.account.reduce((sum, { from, to }) => sum + Date.parse(to) - Date.parse(from), 0);
    expect(millis).toBe(MINUTE);
    const hanging = (await app.get<RunAnswer>('/api/v1/runs/hanging')).body;
    expect(hanging.stuck).toMatchObject({ state: 'running' });
    expect(hanging.logs.map(({ text }) => text)).toEqual(['first', 'waits for the lock']);
    expect((await app.get<ProblemBody>('/api/v1/runs/none')).status).toBe(404);
  });

  it('can not be acted on without a scheduler', async () => {
    const { status, body } = await app.post<ProblemBody>('/api/v1/runs/hanging/stop', {});
    expect([status, body.code]).toEqual([409, 'no-scheduler']);
  });
});

describe('the scheduler', () => {
  let server: Server;
  const asked: string[] = [];
  beforeAll(async () => {
    server = createServer((request, response) => {
      asked.push(`${request.method} ${request.url}`);
      if (request.url!.includes('gone'))
        response.writeHead(409).end(JSON.stringify({ error: 'No such run is under way.' }));
      else response.end('{}');
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  });
  afterAll(() => server.close());

  const scheduler = (port = (server.address() as AddressInfo).port) =>
    new OutsideSystems(configOf({ FLAIL_SCHEDULER: `http://127.0.0.1:${port}/` }));

  it('is asked to stop a run or to try it again', async () => {
    expect(scheduler().has('scheduler')).toBe(true);
    expect(scheduler().has('changeControl')).toBe(false);
    await scheduler().ask({ system: 'scheduler', run: 'a b', verb: 'stop' });
    await scheduler().ask({ system: 'scheduler', run: 'r1', verb: 'retry' });
    expect(asked).toEqual(['POST /runs/a%20b/stop', 'POST /runs/r1/retry']);
  });

  it('says in its own words why not, and is told of when it does not answer', async () => {
    await expect(scheduler().ask({ system: 'scheduler', run: 'gone', verb: 'stop' })).rejects.toThrow(
      'No such run is under way.',
    );
    await expect(scheduler(1).ask({ system: 'scheduler', run: 'r1', verb: 'stop' })).rejects.toThrow(
      'does not answer',
    );
    expect(() => configOf({ FLAIL_SCHEDULER: 'nowhere' })).toThrow('FLAIL_SCHEDULER');
  });
});
