import type { LogsSearchAnswer, SourceSummary } from '@flail/contract';
import { jest } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { createSocket } from 'node:dgram';
import { once } from 'node:events';
import { existsSync } from 'node:fs';
import { connect } from 'node:net';
import { LogIntakeService } from '../intake/log-intake.service.js';
import { Problem } from '../problems/problem.js';
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

  it('keeps what is no syslog as bytes, and goes on for the others', async () => {
    const odd = [
      Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0, 0, 0, 13]),
      Buffer.alloc(4),
      Buffer.from([0x1f, 0x8b, 8, 0, 1, 2, 3]),
      Buffer.from([0xff, 0xfe, 0xfd]),
    ];
    const socket = createSocket('udp4');
    for (const message of odd)
      await new Promise((resolve) => socket.send(message, port, '127.0.0.1', resolve));
    await new Promise((resolve) =>
      socket.send(`<14>${stamp()} nest-3 beak: over udp still`, port, '127.0.0.1', resolve),
    );
    socket.close();
    await overTcp('12345678901234567890');
    await overTcp(`<14>${stamp()} nest-3 beak: still here\n`);
    expect(await found('still and host = nest-3', 2)).toHaveLength(2);
    const response = await fetch(`${app.url}/api/v1/export`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ what: 'lines', format: 'text', window, scope: 'source = syslog' }),
    });
    const lines = Buffer.from(await response.arrayBuffer());
    for (const message of odd) expect(lines.includes(message)).toBe(true);
    expect(lines.includes('12345678901234567890')).toBe(true);
    const { body } = await app.get<SourceSummary[]>('/api/v1/sources');
    const source = body.find(({ name }) => name === 'syslog')!;
    expect(source.malformed).toBeGreaterThanOrEqual(odd.length);
    expect(source.problems.map(({ message }) => message).join()).toContain('Not valid UTF-8');
  });

  it('says that a sender speaks TLS', async () => {
    const stream = connect(port, '127.0.0.1');
    stream.write(Buffer.from([0x16, 0x03, 0x01, 0x00, 0x05, 1, 2, 3, 4, 5]));
    await once(stream, 'close');
    for (let turn = 0; turn < 100; turn++) {
      const { body } = await app.get<SourceSummary[]>('/api/v1/sources');
      const told = body.find(({ name }) => name === 'syslog')?.problems.map(({ message }) => message) ?? [];
      if (told.some((message) => message.includes('speaks TLS'))) return;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    throw new Error('Sources does not tell of TLS.');
  });

  it('stores the others when one message can never be stored', async () => {
    const intake = app.app.get(LogIntakeService);
    const real = intake.takeMessages.bind(intake);
    const taking = jest.spyOn(intake, 'takeMessages').mockImplementation((batch) => {
      if (batch.messages.some((message) => Buffer.from(message).includes('poison')))
        return Promise.reject(new Problem(422, 'not-readable', 'Not readable', 'It is poison.'));
      return real(batch);
    });
    try {
      await overTcp(
        ['one', 'two', 'poison', 'three']
          .map((word) => `<14>${stamp()} nest-4 beak: skua ${word}\n`)
          .join(''),
      );
      const records = await found('skua', 3);
      expect(records.map(({ text }) => text).sort()).toEqual(['skua one', 'skua three', 'skua two']);
    } finally {
      taking.mockRestore();
    }
  });

  it('has room for others however many connections are idle', async () => {
    const idle = Array.from({ length: 600 }, () => connect(port, '127.0.0.1').on('error', () => undefined));
    await Promise.all(idle.map((stream) => once(stream, 'connect')));
    await overTcp(`<14>${stamp()} nest-5 beak: among the idle\n`);
    expect(await found('"among the idle"', 1)).toHaveLength(1);
    for (const stream of idle) stream.destroy();
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
