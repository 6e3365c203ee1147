import type { LogsSearchAnswer } from '@flail/contract';
import { execFileSync } from 'node:child_process';
import { createSocket } from 'node:dgram';
import { once } from 'node:events';
import { existsSync } from 'node:fs';
import { connect } from 'node:net';
import { TestApp } from '../testing/test-app.js';
import { SyslogService } from './syslog.service.js';

const LOGGER = '/usr/bin/logger';
const window = {
  from: new Date(Date.now() - 86_400_000).toISOString(),
  to: new Date(Date.now() + 86_400_000).toISOString(),
};

describe('syslog', () => {
  let app: TestApp;
  let port: number;
  beforeAll(async () => {
    app = await TestApp.start();
    port = await app.app.get(SyslogService).listen(0, '127.0.0.1');
  });
  afterAll(() => app.end());

  /** Waits until so many records match. */
  async function found(scope: string, wanted: number): Promise<LogsSearchAnswer['records']> {
    for (let turn = 0; turn < 100; turn++) {
      const { body } = await app.post<LogsSearchAnswer>('/api/v1/logs/search', { window, scope });
      if (body.matched >= wanted) return body.records;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    throw new Error(`There are not ${wanted} records for ${scope}.`);
  }

  async function overTcp(...parts: string[]): Promise<void> {
    const stream = connect(port, '127.0.0.1');
    for (const part of parts) stream.write(part);
    stream.end();
    await once(stream, 'close');
  }

  it('comes over UDP, a message a datagram', async () => {
    const socket = createSocket('udp4');
    const now = new Date().toISOString();
    for (const text of ['first gull', 'second gull\n'])
      await new Promise((resolve) =>
        socket.send(`<28>1 ${now} nest-1 wings 7 - - ${text}`, port, '127.0.0.1', resolve),
      );
    socket.close();
    const records = await found('gull and host = nest-1', 2);
    expect(records.map(({ text, level, service, source }) => [text, level, service, source]).sort()).toEqual([
      ['first gull', 'warn', 'wings', 'syslog'],
      ['second gull', 'warn', 'wings', 'syslog'],
    ]);
  });

  it('comes over TCP, with lengths and with newlines', async () => {
    const message = `<11>1 ${new Date().toISOString()} nest-2 beak 8 - - counted tern`;
    await overTcp(`${message.length} ${message}`, `<14>${stamp()} nest-2 beak: lined tern\n`);
    const records = await found('tern and host = nest-2', 2);
    expect(records.map(({ text, level }) => [text, level]).sort()).toEqual([
      ['counted tern', 'error'],
      ['lined tern', 'info'],
    ]);
  });

  it('cuts off who sends something else, and goes on for the others', async () => {
    await overTcp('12345678901234567890');
    await overTcp(`<14>${stamp()} nest-3 beak: still here\n`);
    expect(await found('"still here"', 1)).toHaveLength(1);
  });

  (existsSync(LOGGER) ? it : it.skip)('comes from the sender of the system', async () => {
    const send = (...options: string[]): void =>
      void execFileSync(LOGGER, [
        '-n',
        '127.0.0.1',
        '-P',
        String(port),
        '-t',
        'auk',
        '-p',
        'user.err',
        ...options,
      ]);
    send('-T', '--rfc5424', 'auk one');
    send('-T', '--rfc3164', 'auk two');
    send('-T', '--octet-count', 'auk three');
    send('-d', '--rfc5424', 'auk four');
    send('-d', '--rfc3164', 'auk five');
    const records = await found('service = auk and level = error', 5);
    expect(records.map(({ text }) => text).sort()).toEqual([
      'auk five',
      'auk four',
      'auk one',
      'auk three',
      'auk two',
    ]);
  });
});

/** The time as old syslog writes it. */
function stamp(): string {
  const now = new Date();
  const month = now.toLocaleString('en', { month: 'short', timeZone: 'UTC' });
  return `${month} ${String(now.getUTCDate()).padStart(2)} ${now.toISOString().slice(11, 19)}`;
}
