import { connect } from 'node:net';
import { configOf } from '../config/config.js';
import { TestApp } from '../testing/test-app.js';
import { hostIn, isLoopback } from './own-address.js';

describe('the names of hosts', () => {
  it.each([
    ['localhost:4180', 'localhost'],
    ['[::1]:80', '::1'],
    ['Example.org.', 'example.org'],
    ['127.0.0.1', '127.0.0.1'],
    ['', undefined],
    ['a b', undefined],
    ['user@host', undefined],
  ])('of %j is %j', (header, name) => expect(hostIn(header)).toBe(name));

  it('are loopback only where nobody else reaches them', () => {
    for (const own of ['localhost', '127.0.0.1', '127.9.9.9', '::1']) expect(isLoopback(own)).toBe(true);
    for (const other of ['0.0.0.0', '::', '10.0.0.1', '127.example.org', 'localhost.example.org'])
      expect(isLoopback(other)).toBe(false);
  });
});

describe('settings of who may come in', () => {
  it('a host that others reach is refused unless that is meant', () => {
    expect(() => configOf({ FLAIL_HOST: '0.0.0.0' })).toThrow('FLAIL_OPEN=yes');
    expect(configOf({ FLAIL_HOST: '0.0.0.0', FLAIL_OPEN: 'yes' }).open).toBe(true);
    expect(configOf({}).open).toBe(false);
    expect(() => configOf({ FLAIL_OPEN: 'perhaps' })).toThrow('FLAIL_OPEN');
  });
});

describe('who is let in', () => {
  let app: TestApp;
  let port: number;
  beforeAll(async () => {
    app = await TestApp.start(undefined, { FLAIL_PUBLIC_URL: 'https://flail.example.org' });
    port = Number(new URL(app.url).port);
  });
  afterAll(() => app.end());

  /** Sends a request as it is written; the status of the answer. A fetch would set some headers itself. */
  const raw = (method: string, path: string, headers: Record<string, string>, body = ''): Promise<number> =>
    new Promise((resolve, reject) => {
      const socket = connect(port, '127.0.0.1');
      let said = '';
      socket.on('data', (part: Buffer) => {
        said += part.toString('latin1');
        const status = /^HTTP\/1\.1 (\d{3})/.exec(said)?.[1];
        if (status === undefined) return;
        resolve(Number(status));
        socket.destroy();
      });
      socket.on('error', reject);
      const all = { ...headers, 'content-length': String(body.length), connection: 'close' };
      const lines = Object.entries(all).map(([name, value]) => `${name}: ${value}\r\n`);
      socket.write(`${method} ${path} HTTP/1.1\r\n${lines.join('')}\r\n${body}`);
    });
  const own = (): string => `127.0.0.1:${port}`;

  it('only who speaks to a name of this server: a page can not point another name at it', async () => {
    for (const host of [own(), `localhost:${port}`, `[::1]:${port}`, 'flail.example.org', 'app.localhost'])
      expect([host, await raw('GET', '/api/v1/health', { host })]).toEqual([host, 200]);
    for (const host of [
      'evil.example.com',
      `evil.example.com:${port}`,
      '10.1.2.3',
      'localhost.evil.com',
      '0.0.0.0',
    ])
      for (const path of ['/api/v1/health', '/', '/v1/logs'])
        expect([host, path, await raw('GET', path, { host })]).toEqual([host, path, 421]);
  });

  it('only our own pages change anything, and programs, which name no origin', async () => {
    const send = (headers: Record<string, string>): Promise<number> =>
      raw(
        'POST',
        '/api/v1/intake/logs?source=a',
        { host: own(), 'content-type': 'text/plain', ...headers },
        'a line',
      );
    expect(await send({})).toBe(200);
    expect(await send({ origin: `http://${own()}` })).toBe(200);
    expect(await send({ origin: 'https://flail.example.org' })).toBe(200);
    expect(await send({ 'sec-fetch-site': 'same-origin' })).toBe(200);
    for (const headers of [
      { origin: 'http://evil.example.com' },
      { origin: 'null' },
      { origin: `http://127.0.0.1:${port + 1}` },
      { origin: `http://localhost:${port}` },
      { origin: `file://${own()}` },
      { 'sec-fetch-site': 'cross-site' },
      { 'sec-fetch-site': 'same-site' },
    ] as Record<string, string>[])
      expect([headers, await send(headers)]).toEqual([headers, 403]);
    const json = { host: own(), 'content-type': 'application/json', origin: 'http://evil.example.com' };
    for (const path of ['/v1/logs', '/api/v1/intake/changes', '/api/v1/cases', '/api/v1/logs/search'])
      expect([path, await raw('POST', path, json, '{}')]).toEqual([path, 403]);
    expect(await raw('GET', '/api/v1/health', { host: own(), origin: 'http://evil.example.com' })).toBe(200);
  });

  it('no question that lies too deep in itself', async () => {
    const body = `{"window":${'['.repeat(200_000)}${']'.repeat(200_000)}}`;
    const { status, body: problem } = await app.post<{ code: string }>('/api/v1/logs/search', body);
    expect([status, problem.code]).toEqual([400, 'too-deep']);
  });
});
