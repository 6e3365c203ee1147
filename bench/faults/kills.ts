import { appendFileSync, mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { Attack } from './attack.js';
import { ALWAYS, Server } from './server.js';

const START = Date.UTC(2026, 10, 30, 10);
const iso = (index: number): string => new Date(START + index * 1000).toISOString();
const nanos = (index: number): string => String(BigInt(START + index * 1000) * 1_000_000n);
const hex = (number: number, length: number): string => number.toString(16).padStart(length, '0');
/** Small batches, so that segments are put together all the time. */
const LINES = 200;

/** What was acknowledged, by path. */
interface Acknowledged {
  logs: number[];
  otlp: number[];
  spans: number[];
  points: number[];
  changes: number[];
  runs: number[];
  measurements: number[];
  cases: string[];
}

const resource = { attributes: [{ key: 'service.name', value: { stringValue: 'kill' } }] };

/** Sends one of everything, again and again, until the server is gone; notes what it acknowledged. */
async function sendAll(server: Server, acknowledged: Acknowledged, numbers: { next: number }): Promise<void> {
  const until = async (send: (number: number) => Promise<boolean>): Promise<void> => {
    try {
      while (server.alive) await send(numbers.next++);
    } catch {
      // It is gone.
    }
  };
  const noted = async (list: number[], number: number, path: string, body: unknown, headers = {}) => {
    const { status } = await server.post(path, body as object, headers);
    if (status === 200) list.push(number);
    return status === 200;
  };
  const lines = (number: number): string =>
    Array.from({ length: LINES }, (_, line) =>
      JSON.stringify({ time: iso(number), msg: `batch ${number} line ${line}`, batch: `b${number}` }),
    ).join('\n');
  const record = (number: number): object => ({
    resourceLogs: [
      {
        resource,
        scopeLogs: [
          { logRecords: [{ timeUnixNano: nanos(number), body: { stringValue: `otlp ${number}` } }] },
        ],
      },
    ],
  });
  const span = (number: number): object => ({
    resourceSpans: [
      {
        resource,
        scopeSpans: [
          {
            spans: [
              {
                traceId: hex(number + 1, 32),
                spanId: hex(number + 1, 16),
                name: 'turn',
                kind: 2,
                startTimeUnixNano: nanos(number),
                endTimeUnixNano: nanos(number + 1),
              },
            ],
          },
        ],
      },
    ],
  });
  const point = (number: number): object => ({
    resourceMetrics: [
      {
        resource,
        scopeMetrics: [
          {
            metrics: [
              { name: 'level', gauge: { dataPoints: [{ timeUnixNano: nanos(number), asDouble: number }] } },
            ],
          },
        ],
      },
    ],
  });
  await Promise.all([
    until((number) =>
      noted(acknowledged.logs, number, `/api/v1/intake/logs?source=kill`, lines(number), {
        'content-type': 'text/plain',
        'idempotency-key': `k${number}`,
      }),
    ),
    until((number) => noted(acknowledged.otlp, number, '/v1/logs', record(number))),
    until((number) => noted(acknowledged.spans, number, '/v1/traces', span(number))),
    until((number) => noted(acknowledged.points, number, '/v1/metrics', point(number))),
    until((number) =>
      noted(
        acknowledged.measurements,
        number,
        '/api/v1/intake/openmetrics',
        `depth ${number} ${START / 1000 + number}\n# EOF\n`,
        {
          'content-type': 'text/plain',
        },
      ),
    ),
    until((number) =>
      noted(acknowledged.changes, number, '/api/v1/intake/changes', {
        specversion: '1.0',
        id: `c${number}`,
        source: '/kill',
        type: 'x.config',
        time: iso(number),
      }),
    ),
    until((number) =>
      noted(acknowledged.runs, number, '/api/v1/intake/runs', {
        eventType: 'START',
        eventTime: iso(number),
        run: { runId: `r${number}` },
        job: { namespace: 'kill', name: 'job' },
      }),
    ),
    until(async (number) => {
      const { status } = await server.post('/api/v1/cases', { name: `case ${number}` });
      if (status < 300) acknowledged.cases.push(`case ${number}`);
      return status < 300;
    }),
  ]);
}

/** What of the acknowledged is missing. */
async function missing(server: Server, acknowledged: Acknowledged): Promise<string[]> {
  const lost: string[] = [];
  const summary = async (expression: string): Promise<Map<string, number>> => {
    const { body } = await server.post<{ rows: [string, number][] }>('/api/v1/logs/summary', {
      window: ALWAYS,
      expression,
    });
    return new Map(body.rows);
  };
  const batches = await summary('batch is present then count by batch');
  for (const number of acknowledged.logs) {
    const count = batches.get(`b${number}`);
    if (count !== LINES) lost.push(`batch ${number} has ${count ?? 0} lines`);
  }
  for (const [batch, count] of batches) if (count > LINES) lost.push(`${batch} has ${count} lines`);
  const otlp = new Set((await summary('text = "otlp *" then count by text')).keys());
  for (const number of acknowledged.otlp) if (!otlp.has(`otlp ${number}`)) lost.push(`record ${number}`);
  for (const [metric, list] of [
    ['level', acknowledged.points],
    ['depth', acknowledged.measurements],
  ] as const) {
    if (list.length === 0) continue;
    const { body } = await server.post<{ lines: { values: (number | null)[] }[] }>('/api/v1/metrics/query', {
      window: { from: iso(-1), to: iso(Math.max(...list) + 10) },
      metric,
      aggregate: 'max',
      points: 1,
    });
    const most = Math.max(...(body.lines[0]?.values ?? []).map((value) => value ?? -1));
    if (most < Math.max(...list)) lost.push(`${metric} ${Math.max(...list)}`);
  }
  const { body: changes } = await server.post<{ changes: { id: string }[] }>('/api/v1/changes/search', {
    window: ALWAYS,
    limit: 10_000,
  });
  const ids = new Set(changes.changes.map(({ id }) => id));
  for (const number of acknowledged.changes) if (!ids.has(`c${number}`)) lost.push(`change ${number}`);
  const { body: runs } = await server.post<{ runs: { id: string }[] }>('/api/v1/runs/search', {
    window: ALWAYS,
    limit: 10_000,
  });
  const known = new Set(runs.runs.map(({ id }) => id));
  for (const number of acknowledged.runs) if (!known.has(`r${number}`)) lost.push(`run ${number}`);
  const { body: cases } = await server.call<{ name: string }[]>('/api/v1/cases');
  const names = new Set(cases.map(({ name }) => name));
  for (const name of acknowledged.cases) if (!names.has(name)) lost.push(name);
  for (const number of acknowledged.spans.slice(-20)) {
    const { status } = await server.call(`/api/v1/requests/${hex(number + 1, 32)}`);
    if (status !== 200) lost.push(`span ${number}`);
  }
  return lost;
}

export const kills = (moments: number): Attack[] => [
  {
    name: `kill -9 at ${moments} random moments, everything coming in at once`,
    promise:
      'nothing acknowledged is lost, nothing is there twice; also while segments are put together and retention works',
    run: async () => {
      const data = Server.folder();
      const watched = join(data, 'watched');
      mkdirSync(watched);
      const settings = { FLAIL_WATCH: watched };
      const acknowledged: Acknowledged = {
        logs: [],
        otlp: [],
        spans: [],
        points: [],
        changes: [],
        runs: [],
        measurements: [],
        cases: [],
      };
      const numbers = { next: 0 };
      const lost = new Set<string>();
      let written = 0;
      let server = await Server.start(data, settings);
      // A source that is cut short all the time, so that retention works beside the others.
      await server.take('x', 'short-lived');
      await server.call('/api/v1/sources/short-lived/retention', {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ maxBytes: 1000 }),
      });
      try {
        for (let kill = 0; kill < moments; kill++) {
          const sending = sendAll(server, acknowledged, numbers);
          const writing = setInterval(() => {
            appendFileSync(join(watched, 'app.log'), `${iso(written)} INFO watched ${written}\n`);
            written++;
          }, 20);
          await new Promise((resolve) => setTimeout(resolve, 100 + Math.random() * 1400));
          await server.kill();
          clearInterval(writing);
          await sending;
          server = await Server.start(data, settings);
          for (const one of await missing(server, acknowledged)) lost.add(one);
        }
        // What is written to the followed folder is there once, after a moment of peace.
        let watchedLines = 0;
        for (let turn = 0; turn < 200 && watchedLines < written; turn++) {
          watchedLines = await server.count('source = "app.log"');
          await new Promise((resolve) => setTimeout(resolve, 100));
        }
        await new Promise((resolve) => setTimeout(resolve, 2000));
        watchedLines = await server.count('source = "app.log"');
        if (watchedLines !== written) lost.add(`of ${written} watched lines ${watchedLines} are there`);
        const all = Object.values<readonly unknown[]>({ ...acknowledged }).reduce(
          (sum, { length }) => sum + length,
          0,
        );
        return {
          held: lost.size === 0,
          what: `${all} requests acknowledged (${acknowledged.logs.length} batches of lines, ${acknowledged.changes.length} changes, ${acknowledged.cases.length} cases …), ${written} lines watched; ${lost.size === 0 ? 'nothing lost, nothing doubled' : `lost or doubled: ${[...lost].slice(0, 5).join(', ')}`}`,
        };
      } finally {
        await server.kill();
        rmSync(data, { recursive: true, force: true });
      }
    },
  },
  {
    name: 'SIGTERM under load, ten times',
    promise: 'out within five seconds; what was taken is stored and answered',
    run: async () => {
      let slowest = 0;
      let cut = 0;
      let answered = 0;
      const codes = new Set<number | null>();
      for (let turn = 0; turn < 10; turn++) {
        const server = await Server.start(Server.folder());
        const body = Array.from({ length: 20_000 }, (_, line) =>
          JSON.stringify({ time: iso(line), msg: `line ${line} of ${turn}`, port: `p${line % 7}` }),
        ).join('\n');
        let ending = false;
        const sender = async (name: string): Promise<void> => {
          for (;;) {
            const sent = ending;
            try {
              const { status } = await server.take(body, name);
              if (status === 200 || status === 503) answered++;
            } catch {
              // What is sent once it is going may find nobody.
              if (!sent) cut++;
              return;
            }
          }
        };
        const asker = async (): Promise<void> => {
          for (;;) {
            const sent = ending;
            try {
              await server.post('/api/v1/patterns/search', { window: ALWAYS, baseline: ALWAYS });
            } catch {
              if (!sent) cut++;
              return;
            }
          }
        };
        const all = Promise.all([sender('a'), sender('b'), sender('c'), asker(), asker()]);
        await new Promise((resolve) => setTimeout(resolve, 1500));
        ending = true;
        const { seconds, code } = await server.end();
        codes.add(code);
        slowest = Math.max(slowest, seconds);
        await all;
        await server.remove();
      }
      return {
        held: slowest < 5 && cut === 0 && codes.size === 1 && codes.has(0),
        what: `out after ${slowest.toFixed(1)} s at most, code ${[...codes].join(', ')}; ${answered} batches answered, ${cut} requests cut`,
      };
    },
  },
];
