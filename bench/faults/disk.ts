import { execFileSync } from 'node:child_process';
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  rmSync,
  statSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import sequelize from 'sequelize';
import type { Attack, Outcome } from './attack.js';
import { ALWAYS, Server } from './server.js';

const START = Date.UTC(2026, 10, 30, 10);
const lineOf = (index: number): string =>
  JSON.stringify({
    time: new Date(START + index * 1000).toISOString(),
    level: index % 9 === 0 ? 'error' : 'info',
    msg: `crate ${index} was stowed on deck ${index % 7} by "${['ada', 'bo', 'cy'][index % 3]!}"`,
    n: index,
    trace: index.toString(16).padStart(32, '0'),
  });

/** A store with lines, ended in peace. */
async function filled(count = 3000): Promise<{ data: string; lines: Set<string> }> {
  const data = Server.folder();
  const server = await Server.start(data);
  const lines = Array.from({ length: count }, (_, index) => lineOf(index));
  for (let at = 0; at < count; at += 500) await server.take(lines.slice(at, at + 500).join('\n'), 'deck');
  await server.take('\u00e9 \ud83d\ude00 plain\n'.repeat(3), 'plain');
  await server.end();
  return { data, lines: new Set(lines) };
}

/** How a start goes that can't go well. */
async function refusedStart(data: string): Promise<Outcome> {
  try {
    const server = await Server.start(data);
    await server.kill();
    return { held: false, what: 'it started' };
  } catch (error) {
    const said = (error as Error).message.replace(/^The server ended with \d+: /, '').trim();
    const oneSentence = said.split('\n').length === 1 && !/\n\s+at /.test(said);
    return { held: oneSentence, what: `it says: ${said.replaceAll(data, 'FOLDER')}` };
  }
}

const database = (data: string): string => join(data, 'flail.sqlite');

async function damaged(change: (data: string) => void): Promise<Outcome> {
  const { data } = await filled(500);
  try {
    change(data);
    return await refusedStart(data);
  } finally {
    rmSync(data, { recursive: true, force: true });
  }
}

/** Asks everything of a store in which a byte of a column is wrong. */
async function asked(
  server: Server,
  lines: ReadonlySet<string>,
): Promise<{ wrong: number; failed: string[]; told: boolean }> {
  const failed: string[] = [];
  let wrong = 0;
  let told = false;
  const search = await server.post<{ records: { line: string }[]; missing?: object }>('/api/v1/logs/search', {
    window: ALWAYS,
    scope: 'source = deck',
    limit: 1000,
  });
  if (search.status !== 200) failed.push(`search ${search.status}`);
  else {
    wrong += search.body.records.filter(({ line }) => !lines.has(line)).length;
    told ||= search.body.missing !== undefined;
  }
  for (const [path, body] of [
    ['logs/search', { scope: 'n > 100 and "stowed on deck 3"' }],
    ['logs/summary', { expression: 'then count, avg(n) by level' }],
    ['logs/summary', { expression: 'then count by pattern' }],
    ['logs/fields', { baseline: { from: '1970-01-01T00:00:00Z', to: '1971-01-01T00:00:00Z' } }],
    ['patterns/search', { baseline: { from: '1970-01-01T00:00:00Z', to: '1971-01-01T00:00:00Z' } }],
  ] as const) {
    const answer = await server.post<{ missing?: object }>(`/api/v1/${path}`, { window: ALWAYS, ...body });
    if (answer.status !== 200) failed.push(`${path} ${answer.status}`);
    else told ||= answer.body.missing !== undefined;
  }
  const file = await server.post<string>('/api/v1/export', {
    what: 'lines',
    window: ALWAYS,
    format: 'text',
    scope: 'source = deck',
  });
  if (file.status !== 200) failed.push(`export ${file.status}`);
  else
    for (const line of String(file.body).trimEnd().split('\n'))
      if (line.startsWith('INCOMPLETE')) told = true;
      else if (line !== '' && !lines.has(line)) wrong++;
  return { wrong, failed, told };
}

export const disk: Attack[] = [
  {
    name: 'a byte flipped in a column of each kind',
    promise: 'no wrong line; the segment is left out and that is said; the rest answers',
    run: async () => {
      const { data, lines } = await filled();
      const open = (): InstanceType<typeof sequelize.Sequelize> =>
        new sequelize.Sequelize({ dialect: 'sqlite', storage: database(data), logging: false });
      const query = async <T>(sql: string): Promise<T[]> => {
        const store = open();
        const rows = await store.query(sql);
        await store.close();
        return rows[0] as T[];
      };
      const kinds = await query<{ name: string; id: number }>(
        'SELECT c.name, MIN(b.id) AS id FROM column_blocks b JOIN column_names c ON c.id = b.id / 2147483648 GROUP BY c.name',
      );
      const bad: string[] = [];
      let told = 0;
      try {
        for (const { name, id } of kinds) {
          const [{ hex }] = (await query<{ hex: string }>(
            `SELECT hex(data) AS hex FROM column_blocks WHERE id = ${id}`,
          )) as [{ hex: string }];
          const bytes = Buffer.from(hex, 'hex');
          bytes[Math.floor(Math.random() * bytes.length)]! ^= 1 << Math.floor(Math.random() * 8);
          await query(`UPDATE column_blocks SET data = X'${bytes.toString('hex')}' WHERE id = ${id}`);
          const server = await Server.start(data);
          const { wrong, failed, told: said } = await asked(server, lines);
          await server.kill();
          if (said) told++;
          if (wrong > 0 || failed.length > 0) bad.push(`${name}: ${wrong} wrong lines, ${failed.join(', ')}`);
          await query(`UPDATE column_blocks SET data = X'${hex}' WHERE id = ${id}`);
        }
      } finally {
        rmSync(data, { recursive: true, force: true });
      }
      return {
        held: bad.length === 0,
        what: `${kinds.length} kinds of column; ${told} of them told as missing, the others not needed by any question; ${bad.length === 0 ? 'no wrong line, no failed answer' : bad.join('; ')}`,
      };
    },
  },
  {
    name: 'a database cut in half',
    promise: 'one sentence with what to do',
    run: () => damaged((data) => truncateSync(database(data), Math.floor(statSync(database(data)).size / 2))),
  },
  {
    name: 'a database that is junk',
    promise: 'one sentence with what to do',
    run: () => damaged((data) => writeFileSync(database(data), Buffer.alloc(200_000, 'no database '))),
  },
  {
    name: 'a data folder that is a file',
    promise: 'one sentence with what to do',
    run: async () => {
      const folder = Server.folder();
      const file = join(folder, 'a-file');
      writeFileSync(file, '');
      try {
        return await refusedStart(file);
      } finally {
        rmSync(folder, { recursive: true });
      }
    },
  },
  {
    name: 'a lock left behind, whose number now is that of another process',
    promise: 'it starts',
    run: async () => {
      const { data } = await filled(100);
      try {
        writeFileSync(join(data, 'flail.lock'), `${process.pid} 1`);
        const server = await Server.start(data);
        const count = await server.count('');
        await server.kill();
        return { held: count === 103, what: `it starts, with ${count} lines` };
      } finally {
        rmSync(data, { recursive: true, force: true });
      }
    },
  },
  {
    name: 'a write-ahead log cut off in the middle',
    promise: 'it starts with what is whole; no wrong line',
    run: async () => {
      const data = Server.folder();
      try {
        const server = await Server.start(data);
        const lines = new Set<string>();
        for (let at = 0; at < 4000; at += 400) {
          const some = Array.from({ length: 400 }, (_, index) => lineOf(at + index));
          for (const line of some) lines.add(line);
          await server.take(some.join('\n'), 'deck');
        }
        await server.kill();
        const log = `${database(data)}-wal`;
        const size = existsSync(log) ? statSync(log).size : 0;
        truncateSync(log, Math.floor(size * 0.6) + 13);
        const again = await Server.start(data);
        const { wrong, failed } = await asked(again, lines);
        const count = await again.count('source = deck');
        await again.kill();
        return {
          held: wrong === 0 && failed.length === 0,
          what: `of 4,000 lines ${count} are there (the others stood in what was cut off), ${wrong} wrong, ${failed.length} failed answers`,
        };
      } finally {
        rmSync(data, { recursive: true, force: true });
      }
    },
  },
  {
    name: 'a data folder that may not be written to',
    promise: 'one sentence with what to do',
    run: async () => {
      const { data } = await filled(100);
      const mounted = join(data, 'ro');
      mkdirSync(mounted);
      try {
        execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=40m', 'none', mounted], { stdio: 'ignore' });
      } catch {
        rmSync(data, { recursive: true, force: true });
        return { held: true, what: 'not tried: no file system can be mounted here' };
      }
      try {
        copyFileSync(database(data), database(mounted));
        chmodSync(mounted, 0o555);
        execFileSync('mount', ['-o', 'remount,ro', mounted]);
        return await refusedStart(mounted);
      } finally {
        execFileSync('umount', [mounted]);
        rmSync(data, { recursive: true, force: true });
      }
    },
  },
  {
    name: 'a disk that is full',
    promise:
      '503 with the reason on every path, nothing acknowledged lost, and it goes on once there is room',
    run: async () => {
      const folder = Server.folder();
      const small = join(folder, 'small');
      mkdirSync(small);
      try {
        execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=48m', 'none', small], { stdio: 'ignore' });
      } catch {
        rmSync(folder, { recursive: true, force: true });
        return { held: true, what: 'not tried: no file system can be mounted here' };
      }
      const server = await Server.start(small);
      try {
        let stored = 0;
        let status = 200;
        const fill = async (batches: number): Promise<void> => {
          for (let batch = 0; batch < batches && status === 200; batch++) {
            const body = Array.from({ length: 5000 }, (_, index) =>
              JSON.stringify({
                time: new Date(START + index).toISOString(),
                msg: `x ${Math.random()} ${Math.random()} ${Math.random()}`,
                batch,
              }),
            ).join('\n');
            ({ status } = await server.take(body, 'full'));
            if (status === 200) stored += 5000;
          }
        };
        await fill(10);
        const filler = join(small, 'filler');
        try {
          writeFileSync(filler, Buffer.alloc(48 * 1024 * 1024));
        } catch {
          // That is what was wanted.
        }
        await fill(400);
        const statuses: string[] = [];
        const tell = (name: string, { status: own, body }: { status: number; body: unknown }): void => {
          const { detail = '' } = body as { detail?: string };
          statuses.push(`${name} ${own}${/room/.test(detail) ? ' (told)' : ''}`);
        };
        tell('lines', await server.take('one more line', 'full'));
        tell(
          'OTLP',
          await server.post('/v1/logs', {
            resourceLogs: [
              {
                resource: { attributes: [] },
                scopeLogs: [{ logRecords: [{ timeUnixNano: `${START}000000`, body: { stringValue: 'x' } }] }],
              },
            ],
          }),
        );
        tell(
          'changes',
          await server.post('/api/v1/intake/changes', {
            specversion: '1.0',
            id: '1',
            source: '/x',
            type: 'x',
            time: new Date(START).toISOString(),
          }),
        );
        tell(
          'runs',
          await server.post('/api/v1/intake/runs', {
            eventType: 'START',
            eventTime: new Date(START).toISOString(),
            run: { runId: 'r' },
            job: { name: 'j' },
          }),
        );
        tell(
          'measurements',
          await server.post('/api/v1/intake/openmetrics', 'w 1\n# EOF\n', { 'content-type': 'text/plain' }),
        );
        tell('cases', await server.post('/api/v1/cases', { name: 'n' }));
        const reads = await server.count('source = full');
        rmSync(filler, { force: true });
        execFileSync('mount', ['-o', 'remount,size=160m', small]);
        let after = 0;
        for (let turn = 0; turn < 40 && after !== 200; turn++) {
          ({ status: after } = await server.take('after there was room', 'full'));
          await new Promise((resolve) => setTimeout(resolve, 250));
        }
        // What still fits into the room that the store has already may be taken; what does not is told.
        const allTold = statuses.every((one) => / (?:20[01]|503 \(told\))$/.test(one));
        const count = await server.count('source = full and batch is present');
        return {
          held: status === 503 && allTold && reads >= stored && after === 200 && count >= stored,
          what: `${stored} lines stored, then ${status}; ${statuses.join(', ')}; reads go on (${reads}); with room again ${after}, ${count} lines there`,
        };
      } finally {
        await server.kill();
        execFileSync('umount', [small]);
        rmSync(folder, { recursive: true, force: true });
      }
    },
  },
];
