import type { Attack, Outcome } from './attack.js';
import { Server } from './server.js';

/** So many different names of each kind. */
const MANY = 200_000;
const START = Date.UTC(2026, 10, 30, 10);
const nanos = (index: number): string => String(BigInt(START + index) * 1_000_000n);
const attribute = (key: string, value: string): object => ({ key, value: { stringValue: value } });
const hex = (number: number, length: number): string => number.toString(16).padStart(length, '0');

/** Numbers below a number, in parts. */
function* parts(size: number, count = MANY): Generator<number[]> {
  for (let at = 0; at < count; at += size)
    yield Array.from({ length: Math.min(size, count - at) }, (_, index) => at + index);
}

interface Mass {
  name: string;
  promise: string;
  /** Requests to send, one after another. */
  bodies: () => Iterable<{ path: string; body: string; type?: string }>;
  /** Looks whether all is there; says what is. */
  check: (server: Server) => Promise<{ held: boolean; what: string }>;
}

const line = (index: number, more: object): string =>
  JSON.stringify({ time: new Date(START + index).toISOString(), msg: `beat ${index % 50}`, ...more });

/** A body of OTLP with one line for each number, each of a resource of its own. */
const otlpLogs = (numbers: number[], attributes: (number: number) => object[]): string =>
  JSON.stringify({
    resourceLogs: numbers.map((number) => ({
      resource: { attributes: attributes(number) },
      scopeLogs: [{ logRecords: [{ timeUnixNano: nanos(number), body: { stringValue: 'up' } }] }],
    })),
  });

const MASSES: Mass[] = [
  {
    name: '200,000 names of fields in one request',
    promise: 'all stored and found, columns bounded',
    *bodies() {
      const lines = Array.from({ length: MANY / 10 }, (_, index) =>
        line(index, Object.fromEntries(Array.from({ length: 10 }, (__, at) => [`f${index * 10 + at}`, 'v']))),
      );
      yield { path: '/api/v1/intake/logs?source=many', body: lines.join('\n'), type: 'text/plain' };
    },
    check: async (server) => {
      const found = [await server.count('f123456 = v'), await server.count('f7 is present')];
      const all = await server.count('source = many');
      return {
        held: found.every((one) => one === 1) && all === MANY / 10,
        what: `${all} lines, fields found`,
      };
    },
  },
  {
    name: '200,000 services',
    promise: 'all stored and found',
    *bodies() {
      for (const some of parts(50_000))
        yield {
          path: '/api/v1/intake/logs?source=many',
          body: some.map((index) => line(index, { service: `service-${index}` })).join('\n'),
          type: 'text/plain',
        };
    },
    check: async (server) => {
      const one = await server.count('service = service-123456');
      return { held: one === 1, what: `${await server.count('')} lines` };
    },
  },
  {
    name: '200,000 resources over OTLP',
    promise: 'all stored and found',
    *bodies() {
      for (const some of parts(10_000))
        yield {
          path: '/v1/logs',
          body: otlpLogs(some, (index) => [
            attribute('service.name', 'svc'),
            attribute('service.instance.id', `i-${index}`),
          ]),
        };
    },
    check: async (server) => {
      const one = await server.count('instance = i-123456');
      return { held: one === 1, what: `${await server.count('')} lines` };
    },
  },
  {
    name: '200,000 sources over OTLP',
    promise: 'all stored and found, Sources answers',
    *bodies() {
      for (const some of parts(10_000))
        yield {
          path: '/v1/logs',
          body: otlpLogs(some, (index) => [attribute('service.name', `svc-${index}`)]),
        };
    },
    check: async (server) => {
      const one = await server.count('source = svc-123456');
      const { status, milliseconds } = await server.call('/api/v1/sources');
      return {
        held: one === 1 && status === 200,
        what: `${await server.count('')} lines; Sources in ${Math.round(milliseconds)} ms`,
      };
    },
  },
  {
    name: '200,000 sets of labels of one metric',
    promise: 'kept up to 100,000 series, the others turned away and told of',
    *bodies() {
      for (const some of parts(20_000))
        yield {
          path: '/v1/metrics',
          body: JSON.stringify({
            resourceMetrics: [
              {
                scopeMetrics: [
                  {
                    metrics: [
                      {
                        name: 'load',
                        gauge: {
                          dataPoints: some.map((index) => ({
                            timeUnixNano: nanos(index),
                            asDouble: 1,
                            attributes: [attribute('user', `u${index}`)],
                          })),
                        },
                      },
                    ],
                  },
                ],
              },
            ],
          }),
        };
    },
    check: async (server) => {
      const { body } = await server.post<{ metrics: { series: number }[] }>('/api/v1/metrics/search', {});
      const series = body.metrics[0]?.series ?? 0;
      return { held: series === 100_000, what: `${series} series` };
    },
  },
  {
    name: '200,000 names of operations',
    promise: 'told as a few templates; Health, Requests and Onsets answer',
    *bodies() {
      for (const some of parts(20_000))
        yield {
          path: '/v1/traces',
          body: JSON.stringify({
            resourceSpans: [
              {
                resource: { attributes: [attribute('service.name', 'proxy')] },
                scopeSpans: [
                  {
                    spans: some.map((index) => ({
                      traceId: hex(index + 1, 32),
                      spanId: hex(index + 1, 16),
                      name: `GET /account/${index * 7919}/orders/${hex(index * 104_729, 12)}`,
                      kind: 2,
                      startTimeUnixNano: nanos(index * 10),
                      endTimeUnixNano: nanos(index * 10 + 5 + (index % 20)),
                      status: { code: index % 50 === 0 ? 2 : 0 },
                    })),
                  },
                ],
              },
            ],
          }),
        };
    },
    check: async (server) => {
      const to = START + MANY * 10;
      const asked = {
        window: { from: new Date(to - 900_000).toISOString(), to: new Date(to).toISOString() },
        baseline: { from: new Date(START).toISOString(), to: new Date(to - 900_000).toISOString() },
      };
      const told: string[] = [];
      let held = true;
      for (const path of ['overview', 'requests/search', 'onsets/search', 'contrast']) {
        const answer = await server.post<{ operations?: unknown[] }>(`/api/v1/${path}`, asked);
        const operations = answer.body.operations?.length;
        held &&= answer.status === 200 && (operations === undefined || operations < 100);
        told.push(
          `${path} ${answer.status} in ${(answer.milliseconds / 1000).toFixed(1)} s${operations === undefined ? '' : `, ${operations} operations`}`,
        );
      }
      return { held, what: told.join('; ') };
    },
  },
];

/** While much of one kind comes in, something small comes in and is asked for; how long that takes at most is told. */
async function under(mass: Mass): Promise<Outcome> {
  const server = await Server.start(Server.folder());
  try {
    let slowest = 0;
    let refused = 0;
    let done = false;
    const beside = (async () => {
      for (let turn = 0; !done; turn++) {
        const answer = await server.take(line(turn, {}), 'beside');
        slowest = Math.max(slowest, answer.milliseconds);
        if (answer.status === 429) refused++;
        else if (answer.status !== 200) throw new Error(`Beside it: ${answer.status}`);
        await new Promise((resolve) => setTimeout(resolve, 100));
      }
    })();
    const started = performance.now();
    const statuses = new Set<number>();
    for (const { path, body, type } of mass.bodies()) {
      for (;;) {
        const { status } = await server.post(path, body, type === undefined ? {} : { 'content-type': type });
        statuses.add(status);
        if (status !== 429) break;
        await new Promise((resolve) => setTimeout(resolve, 500));
      }
    }
    const seconds = (performance.now() - started) / 1000;
    done = true;
    await beside;
    const { held, what } = await mass.check(server);
    const { longest } = (await server.state()).eventLoop;
    const { most } = server.memory();
    const fine = [...statuses].every((status) => status === 200 || status === 429);
    return {
      held: held && fine && slowest < 10_000,
      what: `stored in ${seconds.toFixed(1)} s; ${what}; others waited ${Math.round(slowest)} ms at most${refused > 0 ? ` (${refused} times told to come back)` : ''}; main thread held up ${Math.round(longest)} ms at most; memory ${most} MB at most`,
    };
  } finally {
    await server.remove();
  }
}

export const masses: Attack[] = MASSES.map((mass) => ({
  name: mass.name,
  promise: mass.promise,
  run: () => under(mass),
}));
