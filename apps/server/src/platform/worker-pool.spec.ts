import { jest } from '@jest/globals';
import { Logger } from '@nestjs/common';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { StuckTaskError, WorkerPool } from './worker-pool.js';

interface Task {
  task: 'spin' | 'read' | 'fail' | 'close';
}

/** A thread that reads from a database, and that can be made to spin. */
const threadCode = (driver: string): string => `
  import sqlite3 from ${JSON.stringify(driver)};
  const database = new sqlite3.Database(':memory:');
  const read = () => new Promise((resolve, reject) =>
    database.get('SELECT 41 + 1 AS answer', (error, row) => (error ? reject(error) : resolve(row.answer))));
  const end = () => new Promise((resolve) => database.close(() => resolve('closed')));
  globalThis.flailThreadEnd = end;
  export default async ({ task }) => {
    if (task === 'close') return end();
    if (task === 'fail') throw new Error('it fails');
    const answer = await read();
    // Statements are under way when it gets stuck.
    if (task === 'spin') { void read(); void read(); for (;;); }
    return answer;
  };
`;

describe('a pool of threads', () => {
  let folder: string;
  let pool: WorkerPool<Task>;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'flail-pool-'));
    const driver = pathToFileURL(createRequire(import.meta.url).resolve('sqlite3')).href;
    writeFileSync(join(folder, 'thread.mjs'), threadCode(driver));
    const logger = new Logger('Test');
    jest.spyOn(logger, 'error').mockImplementation(() => undefined);
    pool = new WorkerPool<Task>(
      { name: 'tests', file: join(folder, 'thread.mjs'), threads: 1, limit: 60_000, last: { task: 'close' } },
      logger,
    );
  });
  afterEach(async () => {
    await pool.close(1000);
    rmSync(folder, { recursive: true });
  });

  it('replaces a thread that is stuck, says so, and goes on with what waits', async () => {
    expect(await pool.run({ task: 'read' })).toBe(42);
    const stuck = pool.run({ task: 'spin' }, { limit: 300 });
    const waiting = pool.run({ task: 'read' });
    expect(pool.report()).toMatchObject({ running: 1, waiting: 1, replaced: 0 });
    await expect(stuck).rejects.toThrow(StuckTaskError);
    await expect(stuck).rejects.toThrow('tests');
    expect(await waiting).toBe(42);
    expect(pool.report()).toMatchObject({ running: 0, waiting: 0, replaced: 1 });
    expect(pool.report().lastReplaced).toBeInstanceOf(Date);
  });

  it('counts the time of a task from its beginning, not from when it was asked for', async () => {
    const long = pool.run({ task: 'spin' }, { limit: 500 });
    const waiting = Promise.all([1, 2, 3].map(() => pool.run({ task: 'read' }, { limit: 10_000 })));
    await expect(long).rejects.toThrow(StuckTaskError);
    expect(await waiting).toEqual([42, 42, 42]);
  });

  it('tells what a task threw', async () => {
    await expect(pool.run({ task: 'fail' })).rejects.toThrow('it fails');
    expect(pool.report().replaced).toBe(0);
  });

  it('closes also with a thread that is stuck, and refuses what comes then', async () => {
    const stuck = pool.run({ task: 'spin' }).catch((error: unknown) => error);
    const waiting = pool.run({ task: 'read' }).catch((error: unknown) => error);
    await pool.close(300);
    expect(await stuck).toBeInstanceOf(Error);
    expect(await waiting).toMatchObject({ message: 'The server is closing down.' });
    await expect(pool.run({ task: 'read' })).rejects.toThrow('closing down');
  });
});
