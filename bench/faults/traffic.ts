import { createSocket } from 'node:dgram';
import { once } from 'node:events';
import { connect, type Socket } from 'node:net';
import type { SourceSummary } from '@flail/contract';
import type { Attack } from './attack.js';
import { ALWAYS, Server } from './server.js';

const stamp = (): string => new Date().toISOString();
const pause = (milliseconds: number): Promise<void> =>
  new Promise((resolve) => setTimeout(resolve, milliseconds));
const portOf = (server: Server): number => Number(/Syslog: port (\d+)/.exec(server.said())?.[1]);
/** A port that is likely to be free. */
const somePort = (): string => String(20_000 + Math.floor(Math.random() * 20_000));

async function problemsOf(server: Server): Promise<string> {
  const { body } = await server.call<SourceSummary[]>('/api/v1/sources');
  return body
    .flatMap(({ problems }) => problems.map(({ message, count }) => `${count}: ${message}`))
    .join(' | ');
}

export const traffic: Attack[] = [
  {
    name: 'syslog: 100,000 datagrams at once, then poison between good ones',
    promise: 'what arrives is stored, what is lost is counted, nothing blocks what comes after',
    run: async () => {
      const server = await Server.start(Server.folder(), { FLAIL_SYSLOG_PORT: somePort() });
      try {
        const port = portOf(server);
        const socket = createSocket('udp4');
        const send = (message: Uint8Array | string): Promise<void> =>
          new Promise((resolve) => socket.send(message, port, '127.0.0.1', () => resolve()));
        for (let index = 0; index < 100_000; index++)
          await send(`<13>1 ${stamp()} nest gull 1 - - flood ${index}`);
        const poison = [
          Buffer.from([0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10, 0, 0]),
          Buffer.alloc(4),
          Buffer.from([0x16, 0x03, 0x01, 0, 5, 1, 2, 3]),
          Buffer.from([0x1f, 0x8b, 8, 0, 0]),
          Buffer.alloc(60_000, 0xff),
        ];
        for (const message of poison) await send(message);
        await send(`<13>1 ${stamp()} nest gull 1 - - after the poison`);
        socket.close();
        const tls = connect(port, '127.0.0.1');
        tls.write(Buffer.from([0x16, 0x03, 0x01, 0, 5, 1, 2, 3]));
        await once(tls, 'close');
        let after = 0;
        for (let turn = 0; turn < 120 && after === 0; turn++) {
          after = await server.count('"after the poison"');
          await pause(250);
        }
        await pause(6000);
        const stored = await server.count('flood');
        const told = await problemsOf(server);
        const lost = Number(/(\d+): Datagrams lost/.exec(told)?.[1] ?? 0);
        return {
          held: after === 1 && stored + lost >= 100_000 && /speaks TLS/.test(told),
          what: `${stored} of 100,000 stored, ${lost} told as lost; after the poison: ${after}; TLS told: ${/speaks TLS/.test(told)}`,
        };
      } finally {
        await server.remove();
      }
    },
  },
  {
    name: '500 idle syslog connections, 300 half-sent bodies, 100 requests sent a byte at a time',
    promise: 'others are served',
    run: async () => {
      const server = await Server.start(Server.folder(), { FLAIL_SYSLOG_PORT: somePort() });
      const open: Socket[] = [];
      try {
        const dial = (port: number): Socket => {
          const socket = connect(port, '127.0.0.1').on('error', () => undefined);
          open.push(socket);
          return socket;
        };
        const http = Number(new URL(server.url).port);
        for (let index = 0; index < 500; index++) dial(portOf(server));
        for (let index = 0; index < 300; index++)
          dial(http).write(
            `POST /api/v1/${index % 2 ? 'intake/logs?source=half' : 'logs/search'} HTTP/1.1\r\nhost: 127.0.0.1\r\ncontent-type: ${index % 2 ? 'text/plain' : 'application/json'}\r\ncontent-length: 1000\r\n\r\nhalf of a li`,
          );
        const slow = Array.from({ length: 100 }, () => {
          const socket = dial(http);
          socket.write(
            `POST /api/v1/intake/logs?source=slow HTTP/1.1\r\nhost: 127.0.0.1\r\ncontent-type: text/plain\r\ncontent-length: 1000\r\n\r\n`,
          );
          return setInterval(() => socket.writable && socket.write('x'), 1000);
        });
        await pause(6000);
        let slowest = 0;
        let refused = 0;
        for (let turn = 0; turn < 60; turn++) {
          const answer = await server.take(`{"time":"${stamp()}","msg":"served ${turn}"}`, 'served');
          slowest = Math.max(slowest, answer.milliseconds);
          if (answer.status !== 200) refused++;
          const search = await server.post('/api/v1/logs/search', { window: ALWAYS, limit: 1 });
          slowest = Math.max(slowest, search.milliseconds);
          await pause(50);
        }
        const stream = connect(portOf(server), '127.0.0.1');
        stream.end(`<13>1 ${stamp()} nest gull 1 - - among the idle\n`);
        await once(stream, 'close');
        let among = 0;
        for (let turn = 0; turn < 40 && among === 0; turn++) {
          among = await server.count('"among the idle"');
          await pause(100);
        }
        for (const timer of slow) clearInterval(timer);
        return {
          held: refused <= 3 && among === 1 && slowest < 3000,
          what: `60 batches sent beside them: ${refused} told to come back, slowest answer ${Math.round(slowest)} ms; syslog among the idle stored: ${among}`,
        };
      } finally {
        for (const socket of open) socket.destroy();
        await server.remove();
      }
    },
  },
  {
    name: '100,000 spans in one trace',
    promise: 'shown up to what can be read, with the rest counted',
    run: async () => {
      const server = await Server.start(Server.folder());
      try {
        const start = Date.now() - 600_000;
        const nanos = (index: number): string => String(BigInt(start) * 1_000_000n + BigInt(index) * 1000n);
        for (let at = 0; at < 100_000; at += 20_000)
          await server.post('/v1/traces', {
            resourceSpans: [
              {
                resource: { attributes: [{ key: 'service.name', value: { stringValue: 'deep' } }] },
                scopeSpans: [
                  {
                    spans: Array.from({ length: 20_000 }, (_, index) => ({
                      traceId: 'a'.repeat(32),
                      spanId: (at + index + 1).toString(16).padStart(16, '0'),
                      ...(at + index > 0 && {
                        parentSpanId: Math.ceil((at + index) / 3)
                          .toString(16)
                          .padStart(16, '0'),
                      }),
                      name: `step ${(at + index) % 10}`,
                      kind: 2,
                      startTimeUnixNano: nanos(at + index),
                      endTimeUnixNano: nanos(at + index + 200_000),
                    })),
                  },
                ],
              },
            ],
          });
        const { status, body, milliseconds } = await server.call<{ spans: unknown[]; more: number }>(
          `/api/v1/requests/${'a'.repeat(32)}`,
        );
        const list = await server.post<{ matched: number }>('/api/v1/requests/search', {
          window: { from: new Date(start - 60_000).toISOString(), to: new Date().toISOString() },
        });
        return {
          held: status === 200 && body.spans.length + body.more === 100_000 && list.body.matched === 1,
          what: `${status} in ${(milliseconds / 1000).toFixed(1)} s: ${body.spans?.length} spans shown, ${body.more} counted; main thread held up ${Math.round((await server.state()).eventLoop.longest)} ms at most`,
        };
      } finally {
        await server.remove();
      }
    },
  },
  {
    name: '30,000 changes in three requests, and a search for the newest ten',
    promise: 'the main thread stays free',
    run: async () => {
      const server = await Server.start(Server.folder());
      try {
        const started = performance.now();
        for (let part = 0; part < 3; part++) {
          const events = Array.from({ length: 10_000 }, (_, index) => ({
            specversion: '1.0',
            id: `c${part}-${index}`,
            source: '/many',
            type: 'x.config',
            time: new Date(Date.UTC(2026, 10, 30) + (part * 10_000 + index) * 1000).toISOString(),
            data: { service: `s${index % 20}`, from: '1', to: '2', by: 'nobody' },
          }));
          const { status } = await server.post('/api/v1/intake/changes', events);
          if (status !== 200) return { held: false, what: `part ${part}: ${status}` };
        }
        const seconds = (performance.now() - started) / 1000;
        const search = await server.post<{ total: number; changes: unknown[] }>('/api/v1/changes/search', {
          window: ALWAYS,
          limit: 10,
        });
        const { longest } = (await server.state()).eventLoop;
        return {
          held: search.body.total === 30_000 && longest < 500 && search.milliseconds < 500,
          what: `stored in ${seconds.toFixed(1)} s; newest ten of ${search.body.total} in ${Math.round(search.milliseconds)} ms; main thread held up ${Math.round(longest)} ms at most`,
        };
      } finally {
        await server.remove();
      }
    },
  },
];
