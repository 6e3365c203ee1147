import { type ChildProcess, execFileSync, spawn } from 'node:child_process';
import { once } from 'node:events';
import { createReadStream, existsSync, mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { request } from 'node:http';
import { cpus, tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { type Timing, writeChart } from './chart.js';
import { writeRichLines } from './rich-lines.js';
import { yardsticks } from './yardsticks.js';

/**
 * The engine as it is used: rich lines taken in, what they take on the disk, and how long the questions of
 * the query set take, cold (the first one after a start; files in the system's cache) and warm.
 */
const LINES = Number(process.argv[2] ?? 1_000_000);
const ROUNDS = Number(process.argv[3] ?? 5);
const PORT = 4186;
const root = dirname(dirname(fileURLToPath(import.meta.url)));
const api = `http://127.0.0.1:${PORT}/api/v1`;
const median = (values: number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1]!;

class Server {
  private constructor(
    readonly child: ChildProcess,
    readonly startMs: number,
  ) {}

  static async start(data: string): Promise<Server> {
    const began = performance.now();
    const child = spawn(process.execPath, [join(root, 'apps/server/dist/main.js')], {
      env: { ...process.env, FLAIL_DATA: data, FLAIL_PORT: String(PORT) },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    let said = '';
    while (!said.includes('http://')) said += String((await once(child.stdout, 'data'))[0]);
    return new Server(child, performance.now() - began);
  }

  memory(): number {
    return Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${this.child.pid}/status`, 'utf8'))?.[1]) / 1024;
  }

  async stop(): Promise<void> {
    this.child.kill('SIGTERM');
    await once(this.child, 'exit');
  }
}

function send(file: string): Promise<number> {
  return new Promise((resolve, reject) => {
    const outgoing = request(
      `${api}/intake/logs?source=bench`,
      { method: 'POST', headers: { 'content-type': 'text/plain', 'content-length': statSync(file).size } },
      (response) => {
        let text = '';
        response.on('data', (part: Buffer) => (text += part.toString()));
        response.on('end', () => resolve((JSON.parse(text) as { accepted: number }).accepted));
      },
    );
    outgoing.on('error', reject);
    createReadStream(file, { highWaterMark: 1024 * 1024 }).pipe(outgoing);
  });
}

async function post<T>(path: string, body: unknown): Promise<T> {
  const response = await fetch(`${api}/${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  const answer = (await response.json()) as T;
  if (!response.ok) throw new Error(JSON.stringify(answer));
  return answer;
}

/** What is aimed at with ten million lines, milliseconds. */
const GOALS: Record<string, Timing['goal']> = {
  'count a phrase found in constants': { cold: 25, warm: 10 },
  'count a phrase in values, common': { cold: 350, warm: 50 },
  'count a phrase that is nowhere': { cold: 50, warm: 10 },
  'an identifier anywhere': { cold: 300, warm: 50 },
  'regular expression with a literal': { cold: 300, warm: 50 },
  'regular expression without a literal': { cold: 5000, warm: 5000 },
  'volume by minute and level': { cold: 30, warm: 15 },
  'pattern table, two halves': { cold: 100, warm: 40 },
  'pattern table, an hour': { cold: 60, warm: 8 },
  'grain changed to 100': { cold: 50, warm: 50 },
  'values of fields, paired, an hour': { cold: 100, warm: 30 },
  'newest 200 errors': { cold: 50, warm: 10 },
  'all records of one trace': { cold: 30, warm: 6 },
};

const folder = mkdtempSync(join(tmpdir(), 'flail-engine-'));
const data = join(folder, 'data');
try {
  const file = join(folder, 'lines.jsonl');
  const began = performance.now();
  const { bytes, phrase, trace } = await writeRichLines(file, LINES, `engine-${LINES}`);
  console.log(
    `${LINES.toLocaleString('en')} lines of ${Math.round(bytes / LINES)} bytes written in ${((performance.now() - began) / 1000).toFixed(0)} s; ${cpus().length} cores, Node ${process.version}`,
  );
  const bulk = execFileSync(
    process.execPath,
    [join(root, 'apps/server/dist/cli/main.js'), 'load', '--into', join(folder, 'bulk'), file],
    {
      encoding: 'utf8',
    },
  );
  console.log(`bulk load: ${/\(([\d,]+) a second\)/.exec(bulk)?.[1]} lines/s`);
  rmSync(join(folder, 'bulk'), { recursive: true });
  await yardsticks(file, folder, phrase);
  let server = await Server.start(data);
  const intake = performance.now();
  const accepted = await send(file);
  const seconds = (performance.now() - intake) / 1000;
  if (accepted !== LINES) throw new Error(`${accepted} of ${LINES} lines were stored.`);
  console.log(
    `HTTP intake: ${Math.round(LINES / seconds).toLocaleString('en')} lines/s (${Math.round(bytes / 1e6 / seconds)} MB/s), memory at most ${Math.round(server.memory())} MB`,
  );
  await server.stop();
  const stored = statSync(join(data, 'flail.sqlite')).size;
  console.log(`stored: ${(stored / bytes).toFixed(4)} of raw (${Math.round(stored / 1e6)} MB)`);

  const end = Date.UTC(2026, 2, 2) + Math.floor((LINES * 1000) / 700);
  const at = (millis: number): string => new Date(millis).toISOString();
  const minute = (millis: number): number => Math.ceil(millis / 60_000) * 60_000;
  const whole = { from: '2026-03-02T00:00:00Z', to: at(minute(end)) };
  const middle = Date.UTC(2026, 2, 2) + (end - Date.UTC(2026, 2, 2)) / 2;
  const halves = {
    window: { from: at(middle), to: whole.to },
    baseline: { from: whole.from, to: at(middle) },
  };
  const span = Math.min(30 * 60_000, (end - Date.UTC(2026, 2, 2)) / 4);
  const hour = {
    window: { from: at(end - span), to: at(end) },
    baseline: { from: at(end - 2 * span), to: at(end - span) },
  };
  const summary = (expression: string) => (): Promise<unknown> =>
    post('logs/summary', { window: whole, expression });
  const questions: [string, () => Promise<unknown>][] = [
    ['count a phrase found in constants', summary(`"${phrase}" then count`)],
    ['count a phrase in values, common', summary('"-1234" then count')],
    ['count a phrase that is nowhere', summary('"never ever said" then count')],
    ['an identifier anywhere', summary(`${trace} then count`)],
    [
      'regular expression with a literal',
      summary(`text ~ /${phrase.split(' ')[0]!} \\w+ ${phrase.split(' ')[2]!}/ then count`),
    ],
    ['regular expression without a literal', summary('text ~ /[0-9]{3}ms$/ then count')],
    ['volume by minute and level', summary('then count by level every 1m')],
    ['pattern table, two halves', () => post('patterns/search', { ...halves, limit: 50 })],
    ['pattern table, an hour', () => post('patterns/search', { ...hour, limit: 50 })],
    ['grain changed to 100', () => post('patterns/search', { ...hour, limit: 50, grain: 100 })],
    ['values of fields, paired, an hour', () => post('logs/fields', { ...hour })],
    ['counts by service of errors', summary('level = error then count by service')],
    ['p95 of a number by route', summary('then count, p95(duration_ms) by route')],
    ['newest 200 errors', () => post('logs/search', { window: whole, scope: 'level = error', limit: 200 })],
    [
      'all records of one trace',
      () => post('logs/search', { window: whole, scope: `trace = ${trace}`, limit: 200 }),
    ],
  ];
  const only = process.argv[4];
  const timings: Timing[] = [];
  for (const [name, ask] of questions) {
    if (only !== undefined && !name.includes(only)) continue;
    const cold: number[] = [];
    const warm: number[] = [];
    const starts: number[] = [];
    for (let round = 0; round < (LINES > 2e6 ? 1 : 3); round++) {
      server = await Server.start(data);
      starts.push(server.startMs);
      // The threads are up, and have looked at nothing but a millisecond.
      await post('logs/search', { window: { from: at(end - 1), to: at(end) }, limit: 1 });
      for (let turn = 0; turn <= ROUNDS; turn++) {
        const from = performance.now();
        await ask();
        (turn === 0 ? cold : warm).push(performance.now() - from);
      }
      await server.stop();
    }
    const goal = GOALS[name];
    timings.push({
      question: name,
      cold: Math.round(median(cold)),
      warm: Math.round(median(warm)),
      ...(goal && { goal }),
    });
    console.log(
      `${name.padEnd(40)} cold ${median(cold).toFixed(0).padStart(6)} ms   warm ${median(warm).toFixed(0).padStart(6)} ms   (start ${median(starts).toFixed(0)} ms)`,
    );
  }
  const title = `Questions over ${LINES.toLocaleString('en')} lines, milliseconds`;
  if (only === undefined) writeChart(join(root, 'bench/engine.svg'), title, timings);
} finally {
  if (existsSync(folder)) rmSync(folder, { recursive: true });
}
