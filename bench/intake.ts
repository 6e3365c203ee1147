import { spawn } from 'node:child_process';
import { createReadStream, mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { once } from 'node:events';
import { request } from 'node:http';
import { cpus, tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { writeRichLines } from './rich-lines.js';

/**
 * Loads a million rich JSON lines through HTTP into a fresh server, several times, and tells
 * the rate, the memory of the server, and how long its API took to answer meanwhile.
 */
const LINES = Number(process.argv[2] ?? 1_000_000);
const ROUNDS = Number(process.argv[3] ?? 5);
const PORT = 4186;
const root = dirname(dirname(fileURLToPath(import.meta.url)));

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
  await writeRichLines(file, LINES, 'intake');
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
