import { gzipSync } from 'node:zlib';
import { ZipFile } from 'yazl';
import type { Attack } from './attack.js';
import { ALWAYS, Server } from './server.js';

const bytes = (...values: number[]): Uint8Array => Uint8Array.from(values);
const noise = (length: number, seed: number): Uint8Array => {
  let state = seed;
  return Uint8Array.from({ length }, () => (state = (Math.imul(state, 1_103_515_245) + 12_345) >>> 0) >>> 24);
};
const deep = (levels: number): string => '['.repeat(levels) + ']'.repeat(levels);

/** Bodies that nobody should send, for every path. */
const BODIES: Record<string, string | Uint8Array> = {
  nothing: '',
  nought: bytes(0, 0, 0, 0),
  'a picture': bytes(0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10),
  noise: noise(100_000, 7),
  'no UTF-8': bytes(0x7b, 0x22, 0xff, 0xfe, 0x22, 0x7d),
  'half a JSON': '{"a":',
  'JSON 200,000 deep': deep(200_000),
  'an object of 200,000 names': `{${Array.from({ length: 200_000 }, (_, index) => `"n${index}":1`).join(',')}}`,
  'a line of 8 MB': 'x'.repeat(8_000_000),
  'the prototype': '{"__proto__":{"polluted":true},"constructor":{"prototype":{"polluted":true}}}',
  'a gzip bomb': gzipSync(Buffer.alloc(200_000_000, 'a ')),
  'gzip and garbage': Buffer.concat([gzipSync('{"msg":"one"}\n'), Buffer.from('garbage')]),
  'times of no clock':
    '{"time":"9999-12-31T23:59:59Z","msg":"late"}\n{"ts":1e300,"msg":"later"}\n{"ts":"NaN","msg":"never"}',
  'measurements at NaN': 'w 1 NaN\nw 2 +Inf\nw 3 1e300\n# EOF\n',
  'nulls everywhere':
    '{"resourceLogs":null,"resourceSpans":[null],"resourceMetrics":[{"scopeMetrics":[null]}],"specversion":null}',
  'numbers for texts':
    '{"resourceLogs":[{"resource":7,"scopeLogs":[{"logRecords":[{"body":5,"timeUnixNano":{},"attributes":"x"}]}]}]}',
};
const PATHS: [path: string, types: string[]][] = [
  ['/api/v1/intake/logs?source=hostile', ['text/plain', 'application/json']],
  ['/api/v1/intake/changes', ['application/json', 'application/cloudevents-batch+json']],
  ['/api/v1/intake/runs', ['application/json']],
  ['/api/v1/intake/openmetrics', ['text/plain']],
  ['/v1/logs', ['application/json', 'application/x-protobuf']],
  ['/v1/traces', ['application/json', 'application/x-protobuf']],
  ['/v1/metrics', ['application/json', 'application/x-protobuf']],
  ['/api/v1/logs/search', ['application/json']],
  ['/api/v1/contrast', ['application/json']],
  ['/api/v1/cases', ['application/json']],
  ['/api/v1/datasets', ['application/zip']],
];

const SCOPES = [
  Array.from({ length: 1200 }, (_, index) => `a = ${index}`).join(' or '),
  '('.repeat(9000),
  'text ~ /(a+)+(a+)+(a+)+$/ and text ~ /(x*)*y/',
  'text ~ /\\p{L}{1000}{1000}/',
  '"'.repeat(9001),
  'a = "\\u0000\ud800"',
  `service in (${Array.from({ length: 3000 }, (_, index) => `"s${index}"`).join(', ')})`,
];

async function zipOf(files: Record<string, string | Buffer>): Promise<Buffer> {
  const zip = new ZipFile();
  for (const [name, content] of Object.entries(files)) zip.addBuffer(Buffer.from(content), name);
  zip.end();
  const chunks: Buffer[] = [];
  for await (const chunk of zip.outputStream) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks);
}

/** The name of a file in a zip written over, which no writer would do itself. */
function renamed(zip: Buffer, from: string, to: string): Buffer {
  return Buffer.from(zip.toString('latin1').replaceAll(from, to), 'latin1');
}

export const hostile: Attack[] = [
  {
    name: 'hostile input on every path',
    promise:
      'an answer of 2xx, or 4xx with what is wrong; a question that takes too long is given up, which is said',
    run: async () => {
      const server = await Server.start(Server.folder());
      const bad: string[] = [];
      let asked = 0;
      let slowest = { name: '', milliseconds: 0 };
      try {
        for (const [path, types] of PATHS)
          for (const type of types)
            for (const [name, body] of Object.entries(BODIES)) {
              asked++;
              const what = `${name} to ${path} as ${type}`;
              try {
                const answer = await server.post<{ code?: string; accepted?: number; detail?: string }>(
                  path,
                  body,
                  { 'content-type': type },
                );
                if (answer.status >= 500) bad.push(`${what}: ${answer.status} ${answer.body.detail ?? ''}`);
                if (
                  answer.status === 200 &&
                  answer.body.accepted === 0 &&
                  !path.includes('logs') &&
                  !path.startsWith('/v1')
                )
                  bad.push(`${what}: 200 with nothing taken`);
                if (answer.milliseconds > slowest.milliseconds)
                  slowest = { name: what, milliseconds: answer.milliseconds };
              } catch (error) {
                bad.push(`${what}: ${(error as Error).message}`);
              }
              if (!server.alive) return { held: false, what: `the server ended at ${what}` };
            }
        for (const scope of SCOPES) {
          asked++;
          const answer = await server.post('/api/v1/logs/search', { window: ALWAYS, scope });
          const toldTooLong = (answer.body as { code?: string }).code === 'took-too-long';
          if ((answer.status >= 500 && !toldTooLong) || answer.milliseconds > 40_000)
            bad.push(`scope ${scope.slice(0, 30)}: ${answer.status}`);
        }
        const datasets = await server.call('/api/v1/datasets');
        const state = await server.state();
        if (datasets.status !== 200) bad.push(`data sets: ${datasets.status}`);
        const { status } = await server.take('{"msg":"still here"}');
        return {
          held: bad.length === 0 && status === 200,
          what: `${asked} requests, ${bad.length === 0 ? 'all answered as promised' : bad.slice(0, 6).join('; ')}; slowest ${(slowest.milliseconds / 1000).toFixed(1)} s (${slowest.name}); main thread held up ${Math.round(state.eventLoop.longest)} ms at most; memory ${server.memory().most} MB; outgoing connections: ${server.outgoing().length}`,
        };
      } finally {
        await server.remove();
      }
    },
  },
  {
    name: 'bundles that reach out, blow up, link elsewhere or lie',
    promise: 'refused with what is wrong, nothing left behind, nothing written outside',
    run: async () => {
      const server = await Server.start(Server.folder());
      const bad: string[] = [];
      const said: string[] = [];
      try {
        const manifest = (records: object[]): string =>
          JSON.stringify({ flail: 1, name: 'x', made: new Date().toISOString(), view: '', records });
        const link = await zipOf({ 'link.log': '/etc/passwd' });
        // The kind of a file stands in the upper half of its attributes: that of a link is 0xA000.
        const at = link.indexOf(Buffer.from([0x50, 0x4b, 1, 2])) + 38;
        link.writeUInt32LE((0o120777 << 16) >>> 0, at);
        const bundles: Record<string, Buffer> = {
          'a path upwards': renamed(
            await zipOf({ 'aa/aa/evil.log': '2026-11-30T10:00:00Z INFO x\n' }),
            'aa/aa/evil',
            '../../evil',
          ),
          'an absolute path': renamed(
            await zipOf({ 'atmp/evil.log': '2026-11-30T10:00:00Z INFO x\n' }),
            'atmp/evil',
            '/tmp/evil',
          ),
          'a link': link,
          'a bomb': await zipOf({ 'manifest.json': Buffer.alloc(300_000_000, ' ') }),
          'a false manifest': await zipOf({
            'manifest.json': manifest([
              {
                file: 'nowhere.jsonl',
                signal: 'logs',
                source: 'x',
                format: 'json',
                senders: [{}],
                records: 5,
              },
            ]),
          }),
          'a manifest of another kind': await zipOf({ 'manifest.json': '{"flail":{"__proto__":1}}' }),
          'half a zip': (await zipOf({ 'a.log': 'x\n'.repeat(10_000) })).subarray(0, 60),
          'no zip': Buffer.from('PK\u0003\u0004 no zip'),
        };
        for (const [name, body] of Object.entries(bundles)) {
          const before = (await server.call<unknown[]>('/api/v1/datasets')).body.length;
          const answer = await server.post<{ dataset?: string; detail?: string }>(
            '/api/v1/datasets?name=x',
            body,
            { 'content-type': 'application/zip' },
          );
          const after = (await server.call<unknown[]>('/api/v1/datasets')).body.length;
          said.push(`${name}: ${answer.status}`);
          if (answer.status >= 500) bad.push(`${name}: ${answer.status} ${answer.body.detail ?? ''}`);
          if (answer.status >= 400 && after !== before) bad.push(`${name} left a data set behind`);
        }
        const leaked = (await server.count('root and "/bin"')) > 0;
        if (leaked) bad.push('a file of the machine was read');
        return {
          held: bad.length === 0 && server.alive,
          what: bad.length === 0 ? said.join(', ') : bad.join('; '),
        };
      } finally {
        await server.remove();
      }
    },
  },
];
