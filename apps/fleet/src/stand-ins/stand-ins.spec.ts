import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { placed, type Placements } from '../episodes/placement.js';
import { Fleet } from '../fleet.js';
import { HOUR, MINUTE } from '../world/clock.js';
import { StandIns } from './stand-ins.js';

const ANCHOR = Date.UTC(2026, 2, 5, 4);
const NOW = ANCHOR + 20_000;

describe('the stand-ins', () => {
  let server: Server;
  let url: string;
  let episodes: Placements;
  beforeEach(async () => {
    episodes = { E1: placed('E1', ANCHOR - HOUR / 2), E6: placed('E6', ANCHOR - HOUR) };
    const fleet = new Fleet({ seed: 'test', anchor: ANCHOR, episodes });
    server = await new StandIns(fleet, () => NOW).listen(0);
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
