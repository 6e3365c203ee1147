import type { ServerState } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

describe('the state of the server', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(() => app.end());

  it('tells of its threads and of how long its main thread answered nobody', async () => {
    await app.take('a line');
    await app.post('/v1/logs', { resourceLogs: [] });
    const { status, body } = await app.get<ServerState>('/api/v1/health');
    expect([status, body.live, body.ready, body.records, body.open]).toEqual([200, true, true, 1, false]);
    expect(body.eventLoop.longest).toBeGreaterThanOrEqual(body.eventLoop.p99);
    expect(body.eventLoop.longest).toBeLessThan(60_000);
    expect(body.threads.map(({ name, replaced }) => [name, replaced])).toEqual(
      expect.arrayContaining([
        ['questions (1)', 0],
        ['taking in lines', 0],
        ['reading other protocols', 0],
      ]) as unknown,
    );
  });
});
