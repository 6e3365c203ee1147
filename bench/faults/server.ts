import type { ServerState } from '@flail/contract';
import { type ChildProcess, spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, readdirSync, readFileSync, readlinkSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** How an answer came. */
export interface Answer<T = unknown> {
  status: number;
  body: T;
  milliseconds: number;
}

/** The built server as a process of its own, on a store of its own. */
export class Server {
  private constructor(
    readonly child: ChildProcess,
    readonly data: string,
    readonly url: string,
    /** What it said since it began. */
    readonly said: () => string,
  ) {}

  /** A folder for a store; it is removed by whoever made it. */
  static folder(): string {
    return mkdtempSync(join(tmpdir(), 'flail-faults-'));
  }

  static async start(data: string, settings: Record<string, string> = {}): Promise<Server> {
    const child = spawn(
      process.execPath,
      [
        ...(process.env.PROF ? ['--cpu-prof', '--cpu-prof-dir=' + process.env.PROF] : []),
        'apps/server/dist/main.js',
      ],
      {
        env: {
          ...process.env,
          FLAIL_DATA: data,
          FLAIL_PORT: '0',
          FLAIL_OTLP_PORT: '0',
          FLAIL_SYSLOG_PORT: '0',
          ...settings,
        },
        stdio: ['ignore', 'pipe', 'pipe'],
      },
    );
    let said = '';
    child.stdout.on('data', (part: Buffer) => (said += part.toString()));
    child.stderr.on('data', (part: Buffer) => (said += part.toString()));
    const url = await new Promise<string>((resolve, reject) => {
      const look = (): void => {
        const found = /Flail is at (http:\/\/\S+)/.exec(said)?.[1];
        // The ports beside it are opened last.
        const wanted = settings.FLAIL_SYSLOG_PORT === undefined || /Syslog: port/.test(said);
        if (found && wanted) resolve(found);
      };
      child.stdout.on('data', look);
      child.once('exit', (code) => reject(new Error(`The server ended with ${code}: ${said}`)));
    });
    return new Server(child, data, url, () => said);
  }

  async call<T>(path: string, init: RequestInit = {}): Promise<Answer<T>> {
    const started = performance.now();
    const response = await fetch(`${this.url}${path}`, init);
    const text = await response.text();
    let body: unknown = text;
    try {
      body = JSON.parse(text);
    } catch {
      // Not all answers are JSON.
    }
    return { status: response.status, body: body as T, milliseconds: performance.now() - started };
  }

  post<T>(
    path: string,
    body: string | Uint8Array | object,
    headers: Record<string, string> = {},
  ): Promise<Answer<T>> {
    const plain = typeof body === 'string' || body instanceof Uint8Array;
    return this.call<T>(path, {
      method: 'POST',
      headers: { 'content-type': 'application/json', ...headers },
      body: plain ? (body as string) : JSON.stringify(body),
    });
  }

  /** Sends lines. */
  take<T = { accepted: number }>(
    lines: string | Uint8Array,
    source = 'test',
    headers: Record<string, string> = {},
  ): Promise<Answer<T>> {
    return this.post<T>(`/api/v1/intake/logs?source=${source}`, lines, {
      'content-type': 'text/plain',
      ...headers,
    });
  }

  /** How many lines match. */
  async count(scope: string, window = ALWAYS): Promise<number> {
    const { body } = await this.post<{ matched: number }>('/api/v1/logs/search', { window, scope, limit: 1 });
    return body.matched;
  }

  async state(): Promise<ServerState> {
    return (await this.call<ServerState>('/api/v1/health')).body;
  }

  get alive(): boolean {
    return this.child.exitCode === null && this.child.signalCode === null;
  }

  /** Memory that it holds now, and held at most, in MB. */
  memory(): { now: number; most: number } {
    const status = readFileSync(`/proc/${this.child.pid}/status`, 'latin1');
    const of = (name: string): number =>
      Number(new RegExp(`${name}:\\s+(\\d+)`).exec(status)?.[1] ?? 0) / 1024;
    return { now: Math.round(of('VmRSS')), most: Math.round(of('VmHWM')) };
  }

  /** Files and sockets that it has open. */
  handles(): number {
    return readdirSync(`/proc/${this.child.pid}/fd`).length;
  }

  /** Addresses of other machines that it is connected to. */
  outgoing(): string[] {
    const own = new Set<string>();
    for (const fd of readdirSync(`/proc/${this.child.pid}/fd`)) {
      try {
        const target = readlinkSync(`/proc/${this.child.pid}/fd/${fd}`);
        const inode = /^socket:\[(\d+)\]$/.exec(target)?.[1];
        if (inode) own.add(inode);
      } catch {
        // It was closed in this moment.
      }
    }
    const found: string[] = [];
    for (const table of ['tcp', 'tcp6', 'udp', 'udp6']) {
      const lines = readFileSync(`/proc/net/${table}`, 'latin1').trim().split('\n').slice(1);
      for (const line of lines) {
        const columns = line.trim().split(/\s+/);
        const [address] = columns[2]!.split(':');
        if (own.has(columns[9]!) && !isLocal(address!)) found.push(`${table} ${columns[2]}`);
      }
    }
    return found;
  }

  async kill(): Promise<void> {
    if (!this.alive) return;
    const gone = once(this.child, 'exit');
    this.child.kill('SIGKILL');
    await gone;
  }

  /** Asks it to end; resolves with the seconds that it took, and its code. */
  async end(): Promise<{ seconds: number; code: number | null }> {
    const started = performance.now();
    if (!this.alive) return { seconds: 0, code: this.child.exitCode };
    const gone = once(this.child, 'exit');
    this.child.kill('SIGTERM');
    const [code] = (await gone) as [number | null];
    return { seconds: (performance.now() - started) / 1000, code };
  }

  async remove(): Promise<void> {
    await this.kill();
    rmSync(this.data, { recursive: true, force: true });
  }
}

/** Loopback, or none: the other end of a socket that listens. */
const isLocal = (hex: string): boolean =>
  /^0+$/.test(hex) ||
  /7F$/.test(hex) ||
  hex.endsWith('0100007F') ||
  hex === '00000000000000000000000001000000';

export const ALWAYS = { from: '1970-01-01T00:00:00Z', to: '2199-12-31T00:00:00Z' };
