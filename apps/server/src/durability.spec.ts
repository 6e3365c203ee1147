import type { IntakeAnswer, LogsSearchAnswer } from '@flail/contract';
import { type ChildProcess, spawn } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const MAIN = join(process.cwd(), 'apps/server/dist/main.js');
const BATCHES = 12;
const LINES = 400;

interface Server {
  child: ChildProcess;
  url: string;
}

/** Starts the built server on a data folder; resolves with its address. */
function start(data: string): Promise<Server> {
  const child = spawn(process.execPath, [MAIN], {
    env: { ...process.env, NODE_OPTIONS: '', FLAIL_DATA: data, FLAIL_PORT: '0' },
  });
  return new Promise((resolve, reject) => {
    let said = '';
    child.stderr.on('data', (part: Buffer) => (said += part.toString()));
    child.stdout.on('data', (part: Buffer) => {
      said += part.toString();
      const url = /at (http:\S+)/.exec(said)?.[1];
      if (url) resolve({ child, url });
    });
    child.once('exit', () => reject(new Error(`The server ended: ${said}`)));
  });
}

const kill = (server: Server): Promise<void> =>
  new Promise((resolve) => {
    server.child.once('exit', () => resolve());
    server.child.kill('SIGKILL');
  });

const batchText = (batch: number): string =>
  Array.from({ length: LINES }, (_, index) =>
    JSON.stringify({
      ts: new Date(Date.UTC(2026, 2, 2) + batch * 60_000 + index).toISOString(),
      msg: `batch ${batch} line ${index}`,
    }),
  ).join('\n');

/** Undefined when the server went away before it answered. */
async function send(server: Server, batch: number): Promise<IntakeAnswer | undefined> {
  try {
    const response = await fetch(`${server.url}/api/v1/intake/logs?source=kill`, {
      method: 'POST',
      headers: { 'content-type': 'text/plain', 'idempotency-key': `batch-${batch}` },
      body: batchText(batch),
    });
    return response.ok ? ((await response.json()) as IntakeAnswer) : undefined;
  } catch {
    return undefined;
  }
}

async function stored(server: Server): Promise<string[]> {
  const texts: string[] = [];
  let cursor: string | undefined;
  do {
    const response = await fetch(`${server.url}/api/v1/logs/search`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({
        window: { from: '2026-03-01T00:00:00Z', to: '2026-03-04T00:00:00Z' },
        order: 'oldest',
        limit: 1000,
        cursor,
      }),
    });
    const page = (await response.json()) as LogsSearchAnswer;
    texts.push(...page.records.map(({ text }) => text));
    cursor = page.cursor;
  } while (cursor);
  return texts;
}

describe('a server that is asked to end', () => {
  it('answers all that it was sent before, keeps what it acknowledged, and ends well', async () => {
    const data = mkdtempSync(join(tmpdir(), 'flail-end-'));
    try {
      const server = await start(data);
      const acknowledged = new Set<number>();
      const statuses: number[] = [];
      const sending = Array.from({ length: BATCHES }, async (_, batch) => {
        const response = await fetch(`${server.url}/api/v1/intake/logs?source=end`, {
          method: 'POST',
          headers: { 'content-type': 'text/plain' },
          body: batchText(batch),
        });
        statuses.push(response.status);
        if (response.ok) acknowledged.add(batch);
      });
      // They are on their way, and the first is there.
      await Promise.race(sending);
      const gone = new Promise<number | null>((resolve) => server.child.once('exit', resolve));
      server.child.kill('SIGTERM');
      await Promise.all(sending);
      expect(await gone).toBe(0);
      expect(statuses.every((status) => status === 200 || status === 503)).toBe(true);
      const again = await start(data);
      const there = new Set(await stored(again));
      for (const batch of acknowledged)
        for (let line = 0; line < LINES; line++) expect(there.has(`batch ${batch} line ${line}`)).toBe(true);
      await kill(again);
    } finally {
      rmSync(data, { recursive: true, force: true });
    }
  }, 120_000);
});

describe('a server that is killed at any moment', () => {
  it('keeps what it acknowledged, and stores once what is sent again', async () => {
    expect(existsSync(MAIN)).toBe(true);
    const data = mkdtempSync(join(tmpdir(), 'flail-kill-'));
    const acknowledged = new Set<number>();
    try {
      for (let round = 0; round < 8; round++) {
        const server = await start(data);
        const before = new Set(await stored(server));
        for (const batch of acknowledged) expect(before.has(`batch ${batch} line ${LINES - 1}`)).toBe(true);
        // All that is not acknowledged is on its way when the end comes.
        const sending = Array.from({ length: BATCHES }, (_, batch) => batch)
          .filter((batch) => !acknowledged.has(batch))
          .map(async (batch) => {
            if (await send(server, batch)) acknowledged.add(batch);
          });
        await new Promise((resolve) => setTimeout(resolve, round * 25 + Math.random() * 60));
        await kill(server);
        await Promise.all(sending);
      }
      const server = await start(data);
      for (let batch = 0; batch < BATCHES; batch++)
        expect(await send(server, batch)).toMatchObject({ accepted: LINES });
      const expected = Array.from({ length: BATCHES }, (_, batch) =>
        Array.from({ length: LINES }, (__, index) => `batch ${batch} line ${index}`),
      ).flat();
      expect(await stored(server)).toEqual(expected);
      await kill(server);
    } finally {
      rmSync(data, { recursive: true, force: true });
    }
  }, 120_000);
});
