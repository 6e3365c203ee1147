import { type ChildProcess, spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/**
 * Ends the server with SIGKILL at random moments while batches of several blocks come in, starts it again, and
 * sends what was not acknowledged again under the same keys. In the end each line must be there once.
 */
const MOMENTS = Number(process.argv[2] ?? 100);
const BATCHES = 12;
const LINES = 12_000;
/** Some rounds end before anything is acknowledged, some after most is. */
const LONGEST_MS = 3000;
const PORT = 4186;
const root = dirname(dirname(fileURLToPath(import.meta.url)));
const api = `http://127.0.0.1:${PORT}/api/v1`;
const data = mkdtempSync(join(tmpdir(), 'flail-kill-'));

async function start(): Promise<ChildProcess> {
  const child = spawn(process.execPath, [join(root, 'apps/server/dist/main.js')], {
    env: { ...process.env, FLAIL_DATA: data, FLAIL_PORT: String(PORT) },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  let said = '';
  while (!said.includes('http://')) said += String((await once(child.stdout, 'data'))[0]);
  return child;
}

const bodies = Array.from({ length: BATCHES }, (_, batch) =>
  Array.from({ length: LINES }, (__, index) =>
    JSON.stringify({
      ts: new Date(Date.UTC(2026, 2, 2) + batch * 600_000 + index).toISOString(),
      level: 'info',
      msg: `crate ${batch * LINES + index} was stowed on deck ${index % 7} behind the aft bulkhead`,
      batch: `b${batch}`,
      number: batch * LINES + index,
      padding: 'x'.repeat(90),
    }),
  ).join('\n'),
);

/** True when the batch was acknowledged. */
async function send(batch: number): Promise<boolean> {
  try {
    const response = await fetch(`${api}/intake/logs?source=kill-${batch}`, {
      method: 'POST',
      headers: { 'content-type': 'text/plain', 'idempotency-key': `batch-${batch}` },
      body: bodies[batch]!,
    });
    return response.ok && ((await response.json()) as { accepted: number }).accepted === LINES;
  } catch {
    return false;
  }
}

async function counts(expression: string): Promise<(string | number | null)[][]> {
  const response = await fetch(`${api}/logs/summary`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({
      window: { from: '2026-03-01T00:00:00Z', to: '2026-03-04T00:00:00Z' },
      expression,
    }),
  });
  return ((await response.json()) as { rows: (string | number | null)[][] }).rows;
}

let lost = 0;
let kills = 0;
let rounds = 0;
let acknowledged = new Set<number>();
try {
  let server = await start();
  while (kills < MOMENTS) {
    const sending = Array.from({ length: BATCHES }, (_, batch) => batch)
      .filter((batch) => !acknowledged.has(batch))
      .map(async (batch) => {
        if (await send(batch)) acknowledged.add(batch);
      });
    await Promise.race([
      Promise.all(sending),
      new Promise((resolve) => setTimeout(resolve, Math.random() * LONGEST_MS)),
    ]);
    server.kill('SIGKILL');
    await once(server, 'exit');
    kills++;
    await Promise.all(sending);
    server = await start();
    const held = new Map((await counts('then count by batch')).map(([batch, count]) => [batch, count]));
    for (const batch of acknowledged) if (held.get(`b${batch}`) !== LINES) lost++;
    for (const count of held.values())
      if ((count as number) > LINES) throw new Error(`A batch has ${count} lines.`);
    if (acknowledged.size < BATCHES) continue;
    // All are there: each line once. Then from the beginning, on a new store.
    const [[count, different]] = (await counts('then count, sum(number)')) as [[number, number]];
    const all = BATCHES * LINES;
    if (count !== all || different !== (all * (all - 1)) / 2)
      throw new Error(`There are ${count} lines, adding up to ${different}.`);
    rounds++;
    acknowledged = new Set();
    server.kill('SIGKILL');
    await once(server, 'exit');
    rmSync(data, { recursive: true });
    server = await start();
  }
  server.kill('SIGKILL');
  await once(server, 'exit');
  console.log(
    `${kills} kills, ${rounds} stores filled in spite of them; acknowledged batches missing: ${lost}; lines doubled: 0`,
  );
} finally {
  rmSync(data, { recursive: true, force: true });
}
