import { execFileSync, spawnSync } from 'node:child_process';
import { createReadStream, existsSync, mkdirSync, rmSync, statSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath } from 'node:url';
import sqlite3 from 'sqlite3';

/** What an engineer has at hand without Flail, over the same file in the same run. */

const here = dirname(fileURLToPath(import.meta.url));
/** Lines that go into the table with a full-text index; more would take very long. */
const FULL_TEXT_LINES = 200_000;
const ROUNDS = 5;

const median = (values: number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1]!;
const ms = (value: number): string => `${value.toFixed(0)} ms`;

function timed(run: () => void): number {
  const began = performance.now();
  run();
  return performance.now() - began;
}

/** The parts of the analytical database's interface that are used. */
interface Analytical {
  DuckDBInstance: {
    create(file: string): Promise<{
      connect(): Promise<{ run(sql: string): Promise<unknown>; closeSync(): void }>;
      closeSync(): void;
    }>;
  };
}

/** The embedded analytical database, fetched on first use: nothing else needs it. */
async function analytical(): Promise<Analytical> {
  const folder = join(here, '.yardsticks');
  if (!existsSync(join(folder, 'node_modules'))) {
    mkdirSync(folder, { recursive: true });
    execFileSync(
      'npm',
      ['install', '--prefix', folder, '--no-save', '--no-audit', '--no-fund', '@duckdb/node-api@1.5.6-r.1'],
      { stdio: 'ignore' },
    );
  }
  return (await import(createRequire(join(folder, 'x.js')).resolve('@duckdb/node-api'))) as Analytical;
}

async function ofAnalytical(file: string, folder: string, phrase: string): Promise<void> {
  const { DuckDBInstance } = await analytical();
  const database = join(folder, 'analytical.db');
  const instance = await DuckDBInstance.create(database);
  const connection = await instance.connect();
  const lines = Number(execFileSync('wc', ['-l', file], { encoding: 'utf8' }).split(' ')[0]);
  const began = performance.now();
  await connection.run(
    `CREATE TABLE lines AS SELECT * FROM read_json('${file}', format = 'newline_delimited')`,
  );
  await connection.run('CHECKPOINT');
  const seconds = (performance.now() - began) / 1000;
  const ask = async (sql: string): Promise<number> => {
    const times: number[] = [];
    for (let round = 0; round < ROUNDS; round++) {
      const from = performance.now();
      await connection.run(sql);
      times.push(performance.now() - from);
    }
    return median(times);
  };
  const counted = await ask(`SELECT count(*) FROM lines WHERE message ILIKE '%${phrase}%'`);
  const volume = await ask(
    "SELECT date_trunc('minute', ts::TIMESTAMP) AS minute, level, count(*) FROM lines GROUP BY ALL",
  );
  const trace = await ask("SELECT * FROM lines WHERE trace_id = '0123456789abcdef0123456789abcdef'");
  const values = await ask('SELECT route, count(*) FROM lines GROUP BY ALL');
  connection.closeSync();
  instance.closeSync();
  const stored = statSync(database).size / statSync(file).size;
  console.log(
    `  analytical database: load ${Math.round(lines / seconds).toLocaleString('en')} lines/s, stored ${stored.toFixed(3)} of raw; phrase ${ms(counted)}, volume ${ms(volume)}, one trace ${ms(trace)}, values of a field ${ms(values)}`,
  );
  rmSync(database);
}

function ofGrep(file: string, phrase: string): void {
  const times = Array.from({ length: ROUNDS }, () => timed(() => spawnSync('grep', ['-c', phrase, file])));
  const expressions = Array.from({ length: ROUNDS }, () =>
    timed(() => spawnSync('grep', ['-cE', '[0-9]{3}ms"', file])),
  );
  console.log(`  grep -c: phrase ${ms(median(times))}, regular expression ${ms(median(expressions))}`);
}

/** Rows with a full-text index over their message. */
async function ofFullText(file: string, folder: string, phrase: string): Promise<void> {
  const path = join(folder, 'full-text.db');
  const database = new sqlite3.Database(path);
  const run = (sql: string, values: unknown[] = []): Promise<void> =>
    new Promise((resolve, reject) =>
      database.run(sql, values, (error) => (error ? reject(error) : resolve())),
    );
  await run('PRAGMA journal_mode = WAL');
  await run('CREATE TABLE lines (id INTEGER PRIMARY KEY, line TEXT)');
  await run("CREATE VIRTUAL TABLE words USING fts5(message, content='')");
  const began = performance.now();
  let count = 0;
  let batch: [number, string, string][] = [];
  const flush = async (): Promise<void> => {
    const marks = (width: number): string =>
      batch.map(() => `(${'?,'.repeat(width).slice(0, -1)})`).join(',');
    await run('BEGIN');
    await run(
      `INSERT INTO lines VALUES ${marks(2)}`,
      batch.flatMap(([id, line]) => [id, line]),
    );
    await run(
      `INSERT INTO words(rowid, message) VALUES ${marks(2)}`,
      batch.flatMap(([id, , message]) => [id, message]),
    );
    await run('COMMIT');
    batch = [];
  };
  for await (const line of createInterface({ input: createReadStream(file) })) {
    batch.push([++count, line, (JSON.parse(line) as { message: string }).message]);
    if (batch.length === 2000) await flush();
    if (count === FULL_TEXT_LINES) break;
  }
  if (batch.length > 0) await flush();
  const seconds = (performance.now() - began) / 1000;
  const times: number[] = [];
  for (let round = 0; round < ROUNDS; round++) {
    const from = performance.now();
    await new Promise((resolve) =>
      database.all(`SELECT count(*) FROM words WHERE words MATCH '"${phrase}"'`, resolve),
    );
    times.push(performance.now() - from);
  }
  await new Promise((resolve) => database.close(resolve));
  console.log(
    `  rows with a full-text index (${count.toLocaleString('en')} lines only): ${Math.round(count / seconds).toLocaleString('en')} lines/s; phrase ${ms(median(times))}`,
  );
  rmSync(path);
}

/** Measures all yardsticks and prints a line for each. */
export async function yardsticks(file: string, folder: string, phrase: string): Promise<void> {
  console.log('yardsticks:');
  ofGrep(file, phrase);
  await ofAnalytical(file, folder, phrase).catch((error: unknown) => {
    console.log(
      `  analytical database: could not be measured here (${error instanceof Error ? error.message : String(error)})`,
    );
  });
  await ofFullText(file, folder, phrase);
}
