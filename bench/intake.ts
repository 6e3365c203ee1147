import { spawn } from 'node:child_process';
import { createReadStream, createWriteStream, mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { once } from 'node:events';
import { request } from 'node:http';
import { cpus, tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/**
 * Loads a million JSON lines of about 150 bytes through HTTP into a fresh server, several times, and tells
 * the rate, the memory of the server, and how long its API took to answer meanwhile.
 */
const LINES = Number(process.argv[2] ?? 1_000_000);
const ROUNDS = Number(process.argv[3] ?? 5);
const PORT = 4186;
const root = dirname(dirname(fileURLToPath(import.meta.url)));

const TEXTS = [
  (index: number) => `pass scanned at gate ${index % 9} in ${index % 300}ms`,
  (index: number) => `place assigned on SL-${10_000 + (index % 500)} deck ${'ABC'[index % 3]}`,
  (index: number) => `cache miss for residency key rk:${((index * 2_654_435_761) >>> 0).toString(16)}`,
  (index: number) => `quote priced ${(index % 100) / 4} for ${1 + (index % 5)} passengers`,
];

async function writeLines(file: string): Promise<void> {
  const out = createWriteStream(file);
  const start = Date.UTC(2026, 2, 2);
  for (let from = 0; from < LINES; from += 1000) {
    let block = '';
    for (let index = from; index < from + 1000; index++) {
      block += `${JSON.stringify({ ts: new Date(start + index * 10).toISOString(), level: index % 50 ? 'info' : 'warn', service: 'boarding-api', msg: TEXTS[index % 4]!(index), route: '/v1/passes', n: index % 77 })}\n`;
    }
    if (!out.write(block)) await once(out, 'drain');
  }
  out.end();
  await once(out, 'finish');
}

interface Round {
  rate: number;
  memory: number;
  slowest: number;
}

async function round(file: string): Promise<Round> {
  const data = mkdtempSync(join(tmpdir(), 'flail-bench-'));
  const server = spawn(process.execPath, [join(root, 'apps/server/dist/main.js')], {
    env: { ...process.env, FLAIL_DATA: data, FLAIL_PORT: String(PORT) },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  try {
    await once(server.stdout, 'data');
    let slowest = 0;
    let running = true;
    const probing = (async () => {
      while (running) {
        const began = performance.now();
        await (await fetch(`http://127.0.0.1:${PORT}/api/v1/health`)).text();
        slowest = Math.max(slowest, performance.now() - began);
        await new Promise((resolve) => setTimeout(resolve, 50));
      }
    })();
    const began = performance.now();
    const accepted = await send(file);
    const seconds = (performance.now() - began) / 1000;
    running = false;
    await probing;
    if (accepted !== LINES) throw new Error(`${accepted} of ${LINES} lines were stored.`);
    const memory =
      Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, 'utf8'))?.[1]) / 1024;
    return { rate: LINES / seconds, memory, slowest };
  } finally {
    server.kill('SIGKILL');
    await once(server, 'exit');
    rmSync(data, { recursive: true });
  }
}

function send(file: string): Promise<number> {
  return new Promise((resolve, reject) => {
    const outgoing = request(
      `http://127.0.0.1:${PORT}/api/v1/intake/logs?source=bench`,
      { method: 'POST', headers: { 'content-type': 'text/plain', 'content-length': statSync(file).size } },
      (response) => {
        let text = '';
        response.on('data', (part: Buffer) => (text += part.toString()));
        response.on('end', () => resolve((JSON.parse(text) as { accepted: number }).accepted));
      },
    );
    outgoing.on('error', reject);
    createReadStream(file, { highWaterMark: 256 * 1024 }).pipe(outgoing);
  });
}

const median = (values: number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1]!;

const folder = mkdtempSync(join(tmpdir(), 'flail-bench-file-'));
try {
  const file = join(folder, 'lines.jsonl');
  await writeLines(file);
  console.log(
    `${LINES.toLocaleString('en')} lines of ${Math.round(statSync(file).size / LINES)} bytes; ${cpus().length} cores, Node ${process.version}`,
  );
  const rounds: Round[] = [];
  for (let index = 0; index < ROUNDS; index++) {
    rounds.push(await round(file));
    const { rate, memory, slowest } = rounds.at(-1)!;
    console.log(
      `  ${Math.round(rate).toLocaleString('en')} lines/s, memory at most ${Math.round(memory)} MB, slowest answer meanwhile ${Math.round(slowest)} ms`,
    );
  }
  console.log(
    `median: ${Math.round(median(rounds.map(({ rate }) => rate))).toLocaleString('en')} lines/s, ${Math.round(median(rounds.map(({ memory }) => memory)))} MB, ${Math.round(median(rounds.map(({ slowest }) => slowest)))} ms`,
  );
} finally {
  rmSync(folder, { recursive: true });
}
