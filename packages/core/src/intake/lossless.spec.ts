import { readFileSync, readdirSync, existsSync } from 'node:fs';
import fc from 'fast-check';
import { MemoryStore, testCodec } from '../testing/memory-store.js';
import { buildSegment } from '../segments/builder.js';
import { recordsOf } from '../segments/merge.js';

/** The input as it comes back: its lines joined again. */
async function throughStore(input: Uint8Array, chunk?: number): Promise<Buffer> {
  const store = new MemoryStore();
  store.take(input, chunk === undefined ? {} : { chunk });
  const lines = await store.lines();
  return Buffer.concat(lines.flatMap((line, index) => (index === 0 ? [line] : [Buffer.from('\n'), line])));
}

const withoutLastNewline = (bytes: Uint8Array): Buffer =>
  Buffer.from(bytes.at(-1) === 10 ? bytes.subarray(0, -1) : bytes);

async function expectBack(input: string | Uint8Array, chunk?: number): Promise<void> {
  const bytes = typeof input === 'string' ? Buffer.from(input) : input;
  const back = await throughStore(bytes, chunk);
  const wanted = withoutLastNewline(bytes);
  // Comparing large buffers by toEqual takes seconds; it is only wanted to show a difference.
  if (back.equals(wanted)) return;
  const at = back.findIndex((byte, index) => byte !== wanted[index]);
  expect(back.subarray(Math.max(0, at - 40), at + 40).toString()).toEqual(
    wanted.subarray(Math.max(0, at - 40), at + 40).toString(),
  );
  expect(back.length).toBe(wanted.length);
}

describe('what goes in comes out, byte for byte', () => {
  it.each([
    [
      'JSON with odd spacing and key order',
      '{ "b":1 ,"a" : "x","time":"2026-03-02T18:00:00.120Z"}\n{"a":[1, 2,{"c":null}],"n":{"m":{}}}\n',
    ],
    [
      'JSON with escapes of every kind',
      '{"msg":"tab\\t quote\\" slash\\/ \\u00e9 \\ud83d\\ude00 lone \\ud800","time":"2026-03-02T18:00:00Z"}\n{"msg":"x"}',
    ],
    [
      'JSON numbers as they are spelt',
      '{"msg":"a","n":1.50,"m":-0,"e":1e5,"big":123456789012345678901234567890}\n{"msg":"a","n":2.00,"m":0,"e":1E+5,"big":1}',
    ],
    [
      'JSON keys given twice',
      '{"a":"1","a":"2","msg":"x","message":"y","time":"t","ts":"2026-03-02 18:00:00"}',
    ],
    [
      'times that can not be rebuilt',
      '{"time":"2026-03-02T18:00:00.123456789Z","msg":"a"}\n{"time":"2026-02-31T18:00:00Z","msg":"b"}\n{"time":"24:00","msg":"c"}',
    ],
    [
      'logfmt with quotes',
      'ts=2026-03-02T18:00:00Z level=warn msg="a \\"b\\" \\\\ c" k= flag x=1\nts=2026-03-02T18:00:01Z level=info msg="\\q odd"',
    ],
    [
      'access log',
      '10.0.0.1 - - [02/Mar/2026:18:00:00 +0100] "GET /v1/x?a=1 HTTP/1.1" 200 12 "-" "agent \\"x\\""\n::1 - bob [02/Mar/2026:18:00:01 +0100] "-" 400 -\n',
    ],
    [
      'access log with times of ISO',
      '10.0.0.1 - - [2026-03-02T18:00:00+01:00] "GET / HTTP/1.1" 200 12\n10.0.0.1 - - [2026-03-02 18:00:01] "GET / HTTP/1.1" 200 12\n',
    ],
    [
      'plain text with a stack trace',
      '2026-03-02 18:00:00,123 ERROR [main-1] a.B - failed for id 12\njava.lang.X: y\n\tat a.b(C.java:12)\nCaused by: z\n2026-03-02 18:00:01,000 INFO ok\n',
    ],
    [
      'syslog, new and old',
      '<34>1 2026-03-02T18:00:00.003Z host app 12 ID47 [x@1 a="1" b="q\\"r\\]"][y@2 a="\tz"] \ufefftext here\n<13>1 - - - - - -\n<13>1 2026-03-02T18:00:00Z h a - - - \n',
    ],
    [
      'old syslog',
      '<13>Mar  2 18:00:00 host app[12]: text\nFeb 29 08:00:09 host app: text 2\nMar 02 08:00:09 host app: zero\n<13>Feb 30 08:00:09 host app: no such day\n',
    ],
    [
      'CSV with quotes, other delimiters, and lines that do not fit',
      '\ufefftime,level,message,"odd name"\n2026-03-02T18:00:00Z,warn,"a ""b"", c",\n"2026-03-02T18:00:01Z",info,"two\nlines",x\nfew,cells\n2026-03-02T18:00:02Z,info,plain,"y"\n',
    ],
    ['CSV with semicolons', 'ts;who;n\r\n2026-03-02 18:00:00;gull;1,5\r\n2026-03-02 18:00:01;;\r\n'],
    ['only the names of columns', 'time,message\n'],
    ['Windows line ends', '2026-03-02 18:00:00 INFO a\r\n2026-03-02 18:00:01 INFO b\r\n'],
    ['blank lines', '\n\n{"msg":"a"}\n\n{"msg":"b"}\n\n\n'],
    ['no newline at the end', 'one line'],
    ['a byte order mark', '\ufeff{"msg":"a"}\n{"msg":"b"}'],
  ])('%s', async (_, input) => {
    await expectBack(input);
    await expectBack(input, 7);
  });

  it('invalid UTF-8, alone and among good lines', async () => {
    await expectBack(Buffer.from([0x61, 0xff, 0xfe, 10, 0x62, 10, 0xc3]));
    await expectBack(
      Buffer.concat([Buffer.from('{"msg":"'), Buffer.from([0xc3, 0x28]), Buffer.from('"}\n{"msg":"b"}\n')]),
    );
  });

  it('a line of a megabyte', async () => {
    await expectBack(`{"msg":"${'lang '.repeat(210_000)}","n":1}\n{"msg":"short"}\n`);
  });

  it('any text', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(fc.string({ unit: 'binary' })), fc.nat(20), async (lines, chunk) => {
        const input = Buffer.from(lines.join('\n').toWellFormed());
        if (input.length > 0) await expectBack(input, chunk + 1);
      }),
    );
  });

  it('any bytes', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ minLength: 1, maxLength: 200 }), fc.nat(20), (bytes, chunk) =>
        expectBack(bytes, chunk + 1),
      ),
    );
  });

  it('any JSON object a line', async () => {
    const values = fc.dictionary(fc.string(), fc.jsonValue({ maxDepth: 3 }));
    await fc.assert(
      fc.asyncProperty(fc.array(values, { minLength: 1 }), fc.constantFrom(undefined, 0), (objects, indent) =>
        expectBack(objects.map((object) => JSON.stringify(object, undefined, indent)).join('\n')),
      ),
    );
  });

  it('slots of every kind around words, in every envelope', async () => {
    const piece = fc.constantFrom(
      'lease',
      'lost',
      '12',
      '-4.50',
      '250ms',
      '1.2s',
      '10kB',
      '5%',
      '0xff',
      'deadbeef01',
      '2026-03-02',
      '18:00:01.5',
      '550e8400-e29b-41d4-a716-446655440000',
      '10.1.2.3',
      'a@b.c',
      'http://x/y?z',
      '"q u"',
      "'s'",
      'nq-03',
      '/v1/a/7',
      'a=b',
      '{"k":1}',
      'é',
      '(',
      ',',
      '%',
    );
    const text = fc
      .array(piece, { maxLength: 12 })
      .chain((pieces) => fc.constantFrom(' ', ', ', '').map((gap) => pieces.join(gap)));
    const envelope = fc.constantFrom(
      (body: string) => JSON.stringify({ ts: '2026-03-02T18:00:00Z', msg: body }),
      (body: string) => `2026-03-02 18:00:00 INFO ${body}`,
      (body: string) => `level=info msg=${JSON.stringify(body)}`,
      (body: string) => body,
    );
    await fc.assert(
      fc.asyncProperty(envelope, fc.array(text, { minLength: 1, maxLength: 60 }), (wrap, texts) =>
        expectBack(texts.map(wrap).join('\n')),
      ),
      { numRuns: 300 },
    );
  });

  it('logs found on this machine', async () => {
    const folders = ['/var/log', '/var/log/apt'].filter((folder) => existsSync(folder));
    const files = folders.flatMap((folder) =>
      readdirSync(folder, { withFileTypes: true })
        .filter((entry) => entry.isFile() && entry.name.endsWith('.log'))
        .map((entry) => `${folder}/${entry.name}`),
    );
    for (const file of files) await expectBack(readFileSync(file).subarray(0, 3_000_000));
  });

  it('after small segments are put together', async () => {
    const store = new MemoryStore();
    const inputs = [
      '{"ts":"2026-03-02T18:00:02Z","msg":"b 2","k":1}',
      '2026-03-02 18:00:01 WARN x \ud83d',
      '\nraw',
    ];
    for (const input of inputs) {
      store.take(Buffer.from(input));
      store.seal();
    }
    const before = await store.lines();
    const records = (await Promise.all(store.views().map(recordsOf))).flat();
    store.segments.splice(0, store.segments.length, buildSegment(records, testCodec));
    expect(await store.lines()).toEqual(before);
  });
});
