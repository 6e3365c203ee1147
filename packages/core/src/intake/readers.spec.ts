import { ShapeBook } from '../records/shape.js';
import { AccessReader } from './access.js';
import { CsvReader } from './csv.js';
import { JsonLinesReader } from './json-lines.js';
import { LogfmtReader } from './logfmt.js';
import { PlainReader } from './plain.js';
import { detectFormat } from './detect.js';
import { previewOf } from './preview.js';
import type { ParsedLine } from './reader.js';
import { SyslogReader } from './syslog.js';

/** Fields of a parsed line by name, those of its shadows included. */
function fieldsOf(parsed: ParsedLine): Record<string, string> {
  const fields: Record<string, string> = {};
  parsed.shape.holes.forEach(({ name, format }, index) => {
    if (name !== 'text' && format === undefined) fields[name] = parsed.values[index]!;
  });
  parsed.shape.shadows.forEach((name, index) => (fields[name] = parsed.shadows[index]!));
  return fields;
}

describe('the reader of JSON lines', () => {
  const reader = new JsonLinesReader(new ShapeBook());

  it.each([
    '',
    'x',
    '[]',
    '{',
    '{}x',
    '{"a"}',
    '{"a":}',
    '{"a":1,}',
    "{'a':1}",
    '{"a":01}',
    '{"a":"\t"}',
    '{"a":tru}',
    '{"a":"\\x"}',
    '{"a":[1,}',
    '{"a":1}}',
  ])('refuses %j', (line) => {
    expect(reader.read(line)).toBeUndefined();
  });

  it.each([
    '{}',
    ' { } ',
    '{"a":-0.5e-7}',
    '{"a":[[],{"b":[]}]}',
    '{"":1}',
    '{"a":{"b":{"c":{"d":1}}}}',
    '{"msg":"x","a":true,"b":false}',
  ])('reads %j', (line) => {
    expect(reader.read(line)).toBeDefined();
  });

  it('prefers the field that is the text by name, whatever comes first', () => {
    const parsed = reader.read('{"event":"boot","body":"the body","msg":"the message"}')!;
    expect(parsed.text).toBe('the message');
    expect(fieldsOf(parsed)).toEqual({ event: 'boot', body: 'the body' });
  });

  it('decodes escapes in keys and values', () => {
    const parsed = reader.read('{"msg":"a\\u0041\\n","k\\u0065y":"\\"q\\""}')!;
    expect(parsed.text).toBe('aA\n');
    expect(fieldsOf(parsed)).toEqual({ key: '"q"' });
    expect(parsed.exact).toBe(false);
  });

  it('shares the shape of lines that differ in values only', () => {
    const shapes = ['{"msg":"a","n":1}', '{"msg":"b","n":22}', '{"n":1,"msg":"a"}'].map(
      (line) => reader.read(line)!.shape,
    );
    expect(shapes[0]).toBe(shapes[1]);
    expect(shapes[2]).not.toBe(shapes[0]);
  });
});

describe('the reader of logfmt', () => {
  const reader = new LogfmtReader(new ShapeBook());

  it.each(['', 'plain words', 'one=1', 'a=1 (b)', 'a="open b=2', '=1 b=2', 'words a=1 b=2'])(
    'refuses %j',
    (line) => {
      expect(reader.read(line)).toBeUndefined();
    },
  );

  it('reads bare, quoted, empty values and flags', () => {
    const parsed = reader.read('level=warn msg="two \\"words\\"" empty= n=5 debug path=/a/b?c=d')!;
    expect(parsed).toMatchObject({ text: 'two "words"', level: 4 });
    expect(fieldsOf(parsed)).toEqual({ level: 'warn', empty: '', n: '5', path: '/a/b?c=d' });
  });
});

describe('the reader of access logs', () => {
  const reader = new AccessReader(new ShapeBook());
  const line = (rest: string): string => `10.0.0.1 - - [02/Mar/2026:18:00:00 +0000] ${rest}`;

  it.each([
    ['"GET /a HTTP/1.1" 200 5', { method: 'GET', path: '/a', status: '200', bytes: '5' }],
    [
      '"GET /a HTTP/2.0" 304 - "-" "agent"',
      { status: '304', bytes: '-', user_agent: 'agent', referrer: '-' },
    ],
    ['"" 400 0', { method: '', path: '', status: '400' }],
    ['"GET /a b HTTP/1.1" 200 5', { path: '/a b' }],
    ['"GET /a" 200 5', { method: 'GET', path: '/a' }],
    ['"GET /a HTTP/1.1" 200 5 "-" "x" 0.003 extra', { user_agent: 'x' }],
  ])('reads %s', (rest, fields) => {
    expect(fieldsOf(reader.read(line(rest))!)).toMatchObject(fields);
  });

  it.each([
    line('GET /a 200'),
    line('"GET /a HTTP/1.1" abc 5'),
    '10.0.0.1 - - [yesterday] "GET / HTTP/1.1" 200 5',
    '',
  ])('refuses %s', (text) => {
    expect(reader.read(text)).toBeUndefined();
  });
});

describe('the reader of plain text', () => {
  const reader = new PlainReader(new ShapeBook());

  it.each([
    ['2026-03-02 18:00:00,123 ERROR failed to open', 5, 'failed to open', {}],
    ['2026-03-02T18:00:00Z [worker-3] WARN  slow', 4, 'slow', { thread: 'worker-3' }],
    ['2026-03-02 18:00:00 INFO [store] opened', 3, 'opened', { logger: 'store' }],
    ['[2026-03-02 18:00:00] [INFO] ready', 3, 'ready', {}],
    ['2026-03-02 18:00:00 | DEBUG | x', 2, 'x', {}],
    ['2026-03-02 18:00:00 no level here', 0, 'no level here', {}],
    ['2026-03-02 18:00:00 status WARN inside', 4, 'status WARN inside', {}],
    ['02/Mar/2026:18:00:00 +0000 started', 0, 'started', {}],
    ['panic: PANIC at the quay', 6, 'panic: PANIC at the quay', {}],
    ['just words', 0, 'just words', {}],
    ['2026-03-02 18:00:00', 0, '', {}],
  ])('reads %j', (line, level, text, fields) => {
    const parsed = reader.read(line);
    expect(parsed).toMatchObject({ level, text });
    expect(fieldsOf(parsed)).toMatchObject(fields);
  });

  it('keeps a carriage return out of the text', () => {
    expect(reader.read('2026-03-02 18:00:00 INFO x\r').text).toBe('x');
    expect(reader.read('x\r').text).toBe('x');
  });
});

describe('the reader of syslog', () => {
  const reader = new SyslogReader(new ShapeBook());
  const time = Date.UTC(2026, 2, 2, 18, 0, 0, 250) * 1000;

  it('reads the newer form with its data', () => {
    const parsed = reader.read(
      '<20>1 2026-03-02T18:00:00.250Z nest-1 gull 77 ID4 [a@1 key="one" other="t\\"w\\]o"][b@2 key="2"] wings wet',
    )!;
    expect(parsed).toMatchObject({ level: 4, text: 'wings wet', micros: time });
    expect(fieldsOf(parsed)).toEqual({
      priority: '20',
      host: 'nest-1',
      service: 'gull',
      'process.id': '77',
      'message.id': 'ID4',
      key: 'one',
      other: 't"w]o',
      'b@2.key': '2',
    });
  });

  it.each([
    ['<0>1 - - - - - - the end', 6, 'the end'],
    ['<191>1 2026-03-02T18:00:00Z h a - - -', 2, ''],
    ['<13>1 2026-03-02T18:00:00Z h a - - [x@1] \ufeffmarked', 3, 'marked'],
    ['<11>Mar  2 18:00:00 nest-1 gull[77]: wings wet', 5, 'wings wet'],
    ['Mar  2 18:00:00 nest-1 gull: wings wet', 0, 'wings wet'],
    ['2026-03-02T18:00:00.1+01:00 nest-1 gull[77]: wings wet', 0, 'wings wet'],
  ])('reads %j', (line, level, text) => {
    expect(reader.read(line)).toMatchObject({ level, text });
  });

  it('gives old lines the year in which they are not yet to come', () => {
    const now = new Date();
    const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
    const stampOf = (at: Date): string =>
      `${months[at.getUTCMonth()]} ${String(at.getUTCDate()).padStart(2)} ${at.toISOString().slice(11, 19)}`;
    for (const days of [0, 1, 40, 300]) {
      const at = new Date(Math.floor((now.getTime() - days * 86_400_000) / 1000) * 1000);
      expect(reader.read(`${stampOf(at)} h a: x`)!.micros).toBe(at.getTime() * 1000);
    }
  });

  it.each([
    '<192>1 2026-03-02T18:00:00Z h a - - - x',
    '<13>2 2026-03-02T18:00:00Z h a - - - x',
    '<13>1 soon h a - - - x',
    '<13>1 2026-03-02T18:00:00Z h a - - [x@1 a=1] x',
    '<13>1 2026-03-02T18:00:00Z h a - - [x@1 a="1" x',
    '<13>Foo  2 18:00:00 h a: x',
    'Mar  2 18:00 h a: x',
    '2026-03-02T18:00:00Z INFO worker: x',
    'plain words',
  ])('refuses %j', (line) => {
    expect(reader.read(line)).toBeUndefined();
  });

  it('is chosen by what lines look like', () => {
    expect(detectFormat(['<13>Mar  2 18:00:00 h a: x', 'Mar  2 18:00:00 h a[1]: y']).format).toBe('syslog');
    expect(detectFormat(['<13>1 2026-03-02T18:00:00Z h a - - - x']).format).toBe('syslog');
    expect(detectFormat(['2026-03-02 18:00:00 INFO a: b']).format).toBe('plain');
  });
});

it('a preview shows what lines would become, and which are not of the format', () => {
  const [json, plain] = previewOf(
    ['{"time":"2026-03-02T18:00:00Z","level":"warn","msg":"wings wet","n":2}', 'no object'],
    'json',
  );
  expect(json).toEqual({
    line: '{"time":"2026-03-02T18:00:00Z","level":"warn","msg":"wings wet","n":2}',
    read: true,
    micros: Date.UTC(2026, 2, 2, 18) * 1000,
    level: 'warn',
    text: 'wings wet',
    fields: { level: 'warn', n: '2' },
  });
  expect(plain).toMatchObject({ read: false, level: 'unset', text: 'no object' });
});

describe('the reader of CSV', () => {
  it('reads lines under the names of the first, in whatever way they are parted', () => {
    for (const by of [',', ';', '\t', '|']) {
      const reader = new CsvReader(new ShapeBook());
      expect(reader.header(['timestamp', 'severity', 'msg', 'berth'].join(by))).toBe(true);
      const parsed = reader.read(['2026-03-02T18:00:00Z', 'WARN', `"wet ""${by} wings"`, 'b-7'].join(by))!;
      expect(parsed).toMatchObject({ level: 4, text: `wet "${by} wings`, exact: true });
      expect(fieldsOf(parsed)).toMatchObject({ level: 'WARN', berth: 'b-7' });
    }
  });

  it.each(['just a line', 'a,b,c', '1,time', 'time', '{"time":1,"b":2}', 'ts=1 a=2,b', 'time,"open'])(
    'takes no names from %j',
    (line) => expect(new CsvReader(new ShapeBook()).header(line)).toBe(false),
  );

  it.each(['2026-03-02T18:00:00Z', 'a,b,c', '"open,b', 'a"b,c', '"a"b,c'])('refuses %j', (line) => {
    const reader = new CsvReader(new ShapeBook());
    reader.header('time,message');
    expect(reader.read(line)).toBeUndefined();
  });

  it('is chosen where the first line names columns that the others have', () => {
    expect(
      detectFormat(['time,message,n', '2026-03-02T18:00:00Z,x,1', '2026-03-02T18:00:01Z,y,2']).format,
    ).toBe('csv');
    expect(detectFormat(['time,message,n', 'words', 'and words', 'more words']).format).toBe('plain');
  });
});
