import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { EPISODES, type EpisodeId } from '../episodes/placement.js';
import type { Fleet } from '../fleet.js';
import { episodeOfChange } from '../life/changes.js';
import { MINUTE } from '../world/clock.js';
import { SERVICES } from '../world/company.js';
import { type Emission, SAMPLINGS, type Sent } from '../world/emission.js';
import { LEVELS } from '../world/line.js';
import { type LiveClock, type Speed, SPEEDS, speedOf } from '../world/live-clock.js';
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

const RUNS_SHOWN = 12;
const CHANNELS = ['webhook', 'mail', 'chat', 'pager'];
const MAX_BODY = 256 * 1024;
const NOTICES_KEPT = 200;

/**
 * What stands in for the systems around the fleet: the scheduler that can stop the run that hangs and try
 * failed ones again, the change control that can take changes back, the switches of what sources send, and
 * the outbox in which notices arrive.
 */
export class StandIns {
  private readonly notices: Notice[] = [];

  constructor(
    private readonly fleet: Fleet,
    private readonly clock: LiveClock,
  ) {}

  private now(): number {
    return this.clock.now();
  }

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
    runs: { job: string; id: string; state: string; at?: string; canStop: boolean; canRetry: boolean }[];
    sources: ({ service: string } & Emission & Sent)[];
    notices: Notice[];
    clock: { now: string; speed: Speed };
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
    const runs = this.fleet
      .failedRuns(now)
      .slice(0, RUNS_SHOWN)
      .map(({ job, runId, at }) => ({
        job,
        id: runId,
        state: 'failed',
        at: new Date(at).toISOString(),
        canStop: false,
        canRetry: true,
      }));
    const stuck = { job: 'tide-import', state: 'starting', canStop: true, canRetry: false };
    const { emissions } = this.fleet;
    return {
      changes,
      runs: hanging === undefined ? runs : [{ ...stuck, id: hanging }, ...runs],
      sources: SERVICES.map(({ name }) => ({
        service: name,
        ...emissions.of(name),
        ...emissions.lastSent(name),
      })),
      notices: [...this.notices].reverse(),
      clock: { now: new Date(now).toISOString(), speed: this.clock.speed },
    };
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
    else if (what === 'runs' && verb === 'retry') this.retry(id!, response);
    else if (what === 'clock') this.setSpeed(body, response);
    else if (what === 'sources') this.switch(id!, body, response);
    else if (what === 'outbox' && CHANNELS.includes(id!)) this.keep(id!, body, response);
    else send(response, 404, { error: 'There is no such action.' });
  }

  private revert(id: string, response: ServerResponse): void {
    const named = decodeURIComponent(id);
    const episode = EPISODES.find((one) => one === named) ?? episodeOfChange(named);
    if (episode && episode in REVERTS && this.fleet.revert(episode, nextMinute(this.now())))
      send(response, 200, { reverted: named });
    else send(response, 409, { error: 'There is nothing to take back.' });
  }

  private stop(id: string, response: ServerResponse): void {
    if (this.fleet.hangingRun(this.now()) === id && this.fleet.revert('E6', nextMinute(this.now())))
      send(response, 200, { stopped: id });
    else send(response, 409, { error: 'No such run is under way.' });
  }

  private retry(id: string, response: ServerResponse): void {
    const now = this.now();
    const again = this.fleet.retry(decodeURIComponent(id), now, nextMinute(now));
    if (again !== undefined) send(response, 200, { retried: id, as: again });
    else send(response, 409, { error: 'No such run failed of late, or it was tried again already.' });
  }

  private setSpeed(body: string, response: ServerResponse): void {
    const speed = speedOf(jsonOr(body)?.speed);
    if (speed === undefined) {
      send(response, 400, { error: `Send JSON with a speed of ${SPEEDS.join(', ')}.` });
      return;
    }
    this.clock.set(speed);
    send(response, 200, { speed });
  }

  private switch(service: string, body: string, response: ServerResponse): void {
    const change = emissionOf(body);
    if (!change) {
      const levels = LEVELS.join(', ');
      send(response, 400, {
        error: `Send JSON with level (${levels}), sampling (${SAMPLINGS.join(', ')}) or payloads (true, false).`,
      });
    } else if (this.fleet.emissions.set(service, change)) send(response, 200, { service, ...change });
    else send(response, 404, { error: `There is no source "${service}".` });
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

/** The switches that a body sets; undefined where it is wrong. */
function emissionOf(body: string): Partial<Emission> | undefined {
  const given = jsonOr(body);
  if (!given) return undefined;
  const { level, sampling, payloads, ...others } = given;
  const fits =
    Object.keys(others).length === 0 &&
    (level === undefined || (LEVELS as readonly unknown[]).includes(level)) &&
    (sampling === undefined || (SAMPLINGS as readonly unknown[]).includes(sampling)) &&
    (payloads === undefined || typeof payloads === 'boolean');
  return fits ? given : undefined;
}

/** An object in JSON; undefined for all else. */
function jsonOr(body: string): Record<string, unknown> | undefined {
  try {
    const given: unknown = JSON.parse(body);
    return typeof given === 'object' && given !== null ? (given as Record<string, unknown>) : undefined;
  } catch {
    return undefined;
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
