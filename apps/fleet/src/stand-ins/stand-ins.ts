import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { EPISODES, type EpisodeId } from '../episodes/placement.js';
import type { Fleet } from '../fleet.js';
import { MINUTE } from '../world/clock.js';
import { page } from './page.js';

/** A message that somebody was sent. */
export interface Notice {
  at: number;
  channel: string;
  body: unknown;
}

/** Changes that can be taken back: what each undoes. */
const REVERTS: Partial<Record<EpisodeId, { service: string; change: string }>> = {
  E1: { service: 'berth-allocator', change: 'lease_time 30s → 3s' },
  E2: { service: 'manifest-writer', change: 'export library 4.1.3 → 4.2.0' },
  E3: { service: 'sailing-planner', change: 'version 2.9.3 → 2.9.4' },
  E4: { service: 'boarding-api', change: 'time sync stopped' },
  E8: { service: 'tide-feed', change: 'calibration of a station' },
};

const CHANNELS = ['webhook', 'mail', 'chat', 'pager'];
const MAX_BODY = 256 * 1024;
const NOTICES_KEPT = 200;

/**
 * What stands in for the systems around the fleet: the scheduler that can stop the run that hangs, the
 * change control that can take changes back, and the outbox in which notices arrive.
 */
export class StandIns {
  private readonly notices: Notice[] = [];

  constructor(
    private readonly fleet: Fleet,
    private readonly now: () => number,
  ) {}

  listen(port: number): Promise<Server> {
    const server = createServer((request, response) => {
      this.answer(request, response).catch((error: unknown) => send(response, 500, { error: String(error) }));
    });
    return new Promise((resolve, reject) => {
      server.once('error', reject);
      server.listen(port, '127.0.0.1', () => resolve(server));
    });
  }

  /** What can be done, and what was. */
  state(): {
    changes: { id: EpisodeId; service: string; change: string; since: string; canRevert: boolean }[];
    runs: { job: string; id: string; state: string; canStop: boolean }[];
    notices: Notice[];
  } {
    const now = this.now();
    const { episodes } = this.fleet;
    const changes = EPISODES.flatMap((id) => {
      const placement = episodes[id];
      const told = REVERTS[id];
      if (!placement || !told || placement.start > now) return [];
      return [
        { id, ...told, since: new Date(placement.start).toISOString(), canRevert: placement.end > now },
      ];
    });
    const hanging = this.fleet.hangingRun(now);
    const runs =
      hanging === undefined ? [] : [{ job: 'tide-import', id: hanging, state: 'starting', canStop: true }];
    return { changes, runs, notices: [...this.notices].reverse() };
  }

  private async answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const { pathname } = new URL(request.url ?? '/', 'http://local');
    if (request.method === 'GET' && pathname === '/') {
      response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(page(this.state()));
      return;
    }
    if (request.method === 'GET' && pathname === '/state') {
      send(response, 200, this.state());
      return;
    }
    if (request.method !== 'POST') {
      send(response, 404, { error: 'There is no such page.' });
      return;
    }
    const [, what, id, verb] = pathname.split('/');
    const body = await bodyOf(request);
    if (what === 'changes' && verb === 'revert') this.revert(id!, response);
    else if (what === 'runs' && verb === 'stop') this.stop(id!, response);
    else if (what === 'outbox' && CHANNELS.includes(id!)) this.keep(id!, body, response);
    else send(response, 404, { error: 'There is no such action.' });
  }

  private revert(id: string, response: ServerResponse): void {
    const known = (EPISODES as readonly string[]).includes(id) && id in REVERTS;
    if (known && this.fleet.revert(id as EpisodeId, nextMinute(this.now())))
      send(response, 200, { reverted: id });
    else send(response, 409, { error: 'There is nothing to take back.' });
  }

  private stop(id: string, response: ServerResponse): void {
    if (this.fleet.hangingRun(this.now()) === id && this.fleet.revert('E6', nextMinute(this.now())))
      send(response, 200, { stopped: id });
    else send(response, 409, { error: 'No such run is under way.' });
  }

  private keep(channel: string, body: string, response: ServerResponse): void {
    let parsed: unknown = body;
    try {
      parsed = JSON.parse(body) as unknown;
    } catch {
      // Kept as it came.
    }
    this.notices.push({ at: this.now(), channel, body: parsed });
    if (this.notices.length > NOTICES_KEPT) this.notices.shift();
    send(response, 202, { kept: true });
  }
}

/** The minute under way is simulated already; what is done takes effect with the next. */
const nextMinute = (now: number): number => Math.floor(now / MINUTE) * MINUTE + MINUTE;

function send(response: ServerResponse, status: number, body: object): void {
  response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
}

async function bodyOf(request: IncomingMessage): Promise<string> {
  let body = '';
  for await (const part of request) {
    body += String(part);
    if (body.length > MAX_BODY) throw new Error('The body is too large.');
  }
  return body;
}
