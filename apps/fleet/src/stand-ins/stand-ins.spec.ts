import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { placed, type Placements } from '../episodes/placement.js';
import { Fleet } from '../fleet.js';
import { HOUR, MINUTE } from '../world/clock.js';
import { LiveClock } from '../world/live-clock.js';
import { StandIns } from './stand-ins.js';

const ANCHOR = Date.UTC(2026, 2, 5, 4);
const NOW = ANCHOR + 20_000;

describe('the stand-ins', () => {
  let server: Server;
  let url: string;
  let episodes: Placements;
  let clock: LiveClock;
  beforeEach(async () => {
    clock = new LiveClock(NOW, 1, () => 0);
    episodes = { E1: placed('E1', ANCHOR - HOUR / 2), E6: placed('E6', ANCHOR - HOUR) };
    const fleet = new Fleet({ seed: 'test', anchor: ANCHOR, episodes });
    server = await new StandIns(fleet, clock).listen(0);
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterEach(() => void server.close());

  const post = async (path: string, body = ''): Promise<number> =>
    (await fetch(url + path, { method: 'POST', body })).status;
  const state = async (): Promise<ReturnType<StandIns['state']>> =>
    (await (await fetch(`${url}/state`)).json()) as ReturnType<StandIns['state']>;

  it('take a change back from the next minute on, once', async () => {
    expect((await state()).changes).toMatchObject([{ id: 'E1', canRevert: true }]);
    expect(await post('/changes/E1/revert')).toBe(200);
    expect(episodes.E1!.end).toBe(ANCHOR + MINUTE);
    expect(await post('/changes/E1/revert')).toBe(409);
    expect(await post('/changes/E2/revert')).toBe(409);
    expect(await post('/changes/E9/revert')).toBe(409);
  });

  it('stop the run that hangs', async () => {
    const [run] = (await state()).runs;
    expect(run).toMatchObject({ job: 'tide-import', state: 'starting', canStop: true });
    expect(await post('/runs/other/stop')).toBe(409);
    expect(await post(`/runs/${run!.id}/stop`)).toBe(200);
    expect(episodes.E6!.end).toBe(ANCHOR + MINUTE);
  });

  it('try a failed run again, once, and it goes as it must', async () => {
    const fleet = new Fleet({
      seed: 'test',
      anchor: ANCHOR,
      episodes: { E2: placed('E2', ANCHOR - 9 * HOUR) },
    });
    const [failed] = fleet.failedRuns(NOW);
    expect(failed).toMatchObject({ job: 'manifest-export', type: 'FAIL' });
    const again = fleet.retry(failed!.runId, NOW, ANCHOR + MINUTE)!;
    expect(fleet.retry(failed!.runId, NOW, ANCHOR + MINUTE)).toBeUndefined();
    const told = [1, 2, 3].flatMap((minute) => fleet.minute(ANCHOR + minute * MINUTE).runs);
    const own = told.filter(({ runId }) => runId === again);
    expect(own[0]!.facets).toMatchObject({ flail_state: { trigger: `retry of ${failed!.runId}` } });
    expect(['FAIL', 'COMPLETE']).toContain(own.at(-1)!.type);

    fleet.episodes.E2!.end = ANCHOR;
    const second = fleet.failedRuns(NOW)[0]!;
    const mended = fleet.retry(second.runId, NOW, ANCHOR + 4 * MINUTE)!;
    const after = [4, 5, 6].flatMap((minute) => fleet.minute(ANCHOR + minute * MINUTE).runs);
    expect(after.filter(({ runId }) => runId === mended).at(-1)!.type).toBe('COMPLETE');
    expect(await post('/runs/nobody/retry')).toBe(409);
  });

  it('set how fast time passes', async () => {
    expect((await state()).clock).toEqual({ now: new Date(NOW).toISOString(), speed: 1 });
    expect(await post('/clock', '{"speed":30}')).toBe(200);
    expect((await state()).clock.speed).toBe(30);
    for (const wrong of ['{"speed":7}', '{}', '[]', 'fast', ''])
      expect(await post('/clock', wrong)).toBe(400);
    expect(await (await fetch(url)).text()).toContain('30 seconds');
  });

  it('switch what a source sends', async () => {
    const set = (service: string, body: string): Promise<number> => post(`/sources/${service}`, body);
    expect(await set('boarding-api', '{"level":"WARN","sampling":10,"payloads":true}')).toBe(200);
    const own = (await state()).sources.find(({ service }) => service === 'boarding-api');
    expect(own).toMatchObject({ level: 'WARN', sampling: 10, payloads: true, lines: 0 });
    expect(await set('gulls', '{"level":"WARN"}')).toBe(404);
    for (const wrong of ['{"level":"LOUD"}', '{"sampling":3}', '{"payloads":1}', '{"colour":1}', '7', 'x'])
      expect(await set('boarding-api', wrong)).toBe(400);
    expect(await (await fetch(url)).text()).toContain('one in 10');
  });

  it('keep what they are sent, and show it as text', async () => {
    expect(await post('/outbox/pager', '{"alert":"<b>gulls</b>"}')).toBe(202);
    expect(await post('/outbox/mail', 'plain words')).toBe(202);
    expect(await post('/outbox/pigeon', 'x')).toBe(404);
    expect((await state()).notices.map(({ channel }) => channel)).toEqual(['mail', 'pager']);
    const page = await (await fetch(url)).text();
    expect(page).toContain('Simulated.');
    expect(page).not.toContain('<b>gulls');
    expect(page).toContain('plain words');
  });

  it('know nothing else', async () => {
    expect((await fetch(`${url}/else`)).status).toBe(404);
    expect(await post('/else')).toBe(404);
  });
});
