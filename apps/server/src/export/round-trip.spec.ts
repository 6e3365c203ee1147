import type { LogsSearchAnswer } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const START = Date.UTC(2026, 2, 2, 18);
const at = (second: number): string => new Date(START + second * 1000).toISOString();
const window = { from: at(0), to: at(3600) };

/** Lines of each format, with what is hard in it. */
const SOURCES: Record<string, string> = {
  json: [
    JSON.stringify({ time: at(1), level: 'warn', msg: 'tab\tand "quotes"', port: '=1+1', n: 5 }),
    JSON.stringify({ time: at(2), level: 'error', msg: 'two\nlines é \ud83d\ude00', port: "'=2" }),
    JSON.stringify({ time: at(3), level: 'info', msg: '=cmd()', port: ' \uff1d3' }),
  ].join('\n'),
  logfmt: `ts=${at(1)} level=warn msg="lease \\"x\\" lost" port=ice\nts=${at(2)} level=info msg=ok port=fog`,
  csv: `time,level,message,port\n${at(1)},warn,"a, ""b""",ice\n${at(2)},info,"two\nlines",'=fog`,
  plain: `${at(1)} ERROR it broke\njava.lang.X: y\n\tat a.B.c(B.java:12)\n${at(2)} INFO mended`,
  syslog: `<11>1 ${at(1)} nest-1 beak 8 - - counted tern\n<14>1 ${at(2)} nest-1 beak 8 - - again`,
  access: '10.0.0.1 - - [02/Mar/2026:18:00:01 +0000] "GET /v1/x?a=1 HTTP/1.1" 500 12 "-" "agent"',
};

interface Told {
  time: string;
  level: string;
  text: string;
  service?: string;
}

describe('what is exported', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
    for (const [name, lines] of Object.entries(SOURCES)) await app.take(lines, `source=${name}`);
  });
  afterAll(() => app.end());

  const records = async (scope: string): Promise<LogsSearchAnswer['records']> => {
    const question = { window, scope, order: 'oldest', limit: 100 };
    return (await app.post<LogsSearchAnswer>('/api/v1/logs/search', question)).body.records;
  };
  const told = (all: LogsSearchAnswer['records'], withService: boolean): Told[] =>
    all.map(({ time, level, text, service }) => ({ time, level, text, ...(withService && { service }) }));
  const exported = async (source: string, format: string): Promise<Buffer> => {
    const response = await fetch(`${app.url}/api/v1/export`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ what: 'lines', window, format, scope: `source = "${source}"` }),
    });
    return Buffer.from(await response.arrayBuffer());
  };

  describe.each(Object.keys(SOURCES))('of %s', (source) => {
    it.each(['text', 'jsonl', 'csv', 'otlp'])('as %s comes in again as the same records', async (format) => {
      const before = (await records(`source = "${source}"`)).slice(0, 3);
      expect(before.length).toBeGreaterThan(0);
      const file = await exported(source, format);
      const again = `${source}.${format}`;
      const { status, body } = await app.take<{ accepted: number; malformed: number }>(
        new Uint8Array(file),
        `source=${again}`,
      );
      expect([status, body.accepted, body.malformed]).toEqual([200, before.length, 0]);
      if (format === 'otlp') {
        // OTLP names who sent each record: each is there a second time.
        const both = told(await records(`source = "${source}"`), true);
        expect(both).toHaveLength(2 * before.length);
        for (const one of told(before, true))
          expect(both.filter((other) => JSON.stringify(other) === JSON.stringify(one))).toHaveLength(2);
        return;
      }
      const after = await records(`source = "${again}"`);
      expect(told(after, format !== 'text')).toEqual(told(before, format !== 'text'));
      if (format !== 'text') return;
      expect(after.map(({ line }) => line)).toEqual(before.map(({ line }) => line));
      expect(await exported(again, 'text')).toEqual(file);
    });
  });

  it('as received is, byte for byte, what came, also where it is no text', async () => {
    const lines = Buffer.concat([
      Buffer.from(`${at(10)} INFO caf`),
      Buffer.from([0xe9, 0x20, 0xff, 0xfe, 0x00]),
      Buffer.from(`\n${at(11)} WARN after\n`),
    ]);
    await app.take(new Uint8Array(lines), 'source=latin');
    expect(await exported('latin', 'text')).toEqual(lines);
  });

  it('as OTLP is taken by the path of its protocol, and one bad line spoils only itself', async () => {
    await app.take(JSON.stringify({ time: at(20), msg: 'lone' }), 'source=lone');
    await app.take(JSON.stringify({ time: at(21), msg: 'second' }), 'source=lone');
    const file = (await exported('lone', 'otlp')).toString();
    for (const type of ['application/json', 'application/x-ndjson']) {
      const response = await fetch(`${app.url}/v1/logs`, {
        method: 'POST',
        headers: { 'content-type': type },
        body: `${file}{"broken":\n`,
      });
      const { partialSuccess } = (await response.json()) as {
        partialSuccess: { rejectedLogRecords: string; errorMessage: string };
      };
      expect([response.status, partialSuccess.rejectedLogRecords]).toEqual([200, '1']);
      expect(partialSuccess.errorMessage).toContain('Line 3');
    }
    expect(await records('source = lone')).toHaveLength(6);
    const bad = await fetch(`${app.url}/v1/logs`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: '{"broken":\n{"also":',
    });
    expect(bad.status).toBe(400);
  });
});
