import { ARRIVAL, MemoryStore } from '../testing/memory-store.js';
import { binaryKind, detectFormat } from './detect.js';

describe('the format of a source', () => {
  it.each([
    ['json', ['{"msg":"a"}', '{"msg":"b","n":1}', 'stray text']],
    ['logfmt', ['ts=1 level=info msg="a b"', 'level=warn msg=x']],
    ['access', ['10.0.0.1 - - [2026-03-02T18:00:00+01:00] "GET / HTTP/1.1" 200 5']],
    ['access', ['10.0.0.1 - - [02/Mar/2026:18:00:00 +0000] "GET / HTTP/1.1" 200 5 "-" "x"']],
    ['plain', ['2026-03-02 18:00:00 INFO started', 'x']],
    ['plain', ['key=value', 'no pairs here', 'nor here']],
    ['plain', []],
  ])('is found to be %s', (format, lines) => {
    expect(detectFormat(lines).format).toBe(format);
  });

  it('is none for what is no text', () => {
    expect(binaryKind(Buffer.from([0x89, 0x50, 0x4e, 0x47, 1, 2]))).toBe('a PNG picture');
    expect(binaryKind(Buffer.from([0, 1, 2, 3, 4, 5, 6, 7, 8]))).toBe('a binary file');
    expect(binaryKind(Buffer.from('2026-03-02 text \u001b[31mred\u001b[0m\n'))).toBeUndefined();
    expect(binaryKind(Buffer.from(''))).toBeUndefined();
  });
});

describe('records', () => {
  async function rows(input: string | Buffer, options: Parameters<MemoryStore['take']>[1] = {}) {
    const store = new MemoryStore();
    const result = store.take(input, options);
    const found: {
      text: string;
      level: number;
      micros: number;
      fields: Record<string, string>;
      service: string;
    }[] = [];
    for (const view of store.views()) {
      const [times, levels, services] = [await view.times(), await view.levels(), await view.services()];
      for (let row = 0; row < view.count; row++) {
        found.push({
          text: await view.text(row),
          level: levels[row]!,
          micros: times[row]!,
          fields: Object.fromEntries(await view.fields(row)),
          service: view.summary.services[services[row]!]!,
        });
      }
    }
    return { result, found };
  }

  it('with a moment that no clock shows have that of the record before, and are kept as they came', async () => {
    for (const [time, input] of [
      ['9999-12-31T23:59:59Z', '{"time":"TIME","msg":"b 1"}\n{"time":"TIME","msg":"b 2"}'],
      ['1750-03-02T18:00:00Z', 'TIME INFO b 1\nTIME INFO b 2'],
      ['9999-12-31T23:59:59Z', 'ts=TIME level=info msg="b 1"\nts=TIME level=info msg="b 2"'],
    ] as const) {
      const good = '2026-03-02T18:00:05Z';
      const lines = input.split('\n').map((line) => line.replace('TIME', time));
      const first = lines[0]!.replace(time, good).replace('b 1', 'a');
      const store = new MemoryStore();
      const { malformed, problems, span } = store.take([first, ...lines].join('\n'));
      expect((await store.lines()).map(String)).toEqual([first, ...lines]);
      expect(span).toEqual({ from: Date.parse(good) * 1000, to: Date.parse(good) * 1000 });
      expect(problems.map(({ code, count }) => [code, count])).toEqual([['time-out-of-range', 2]]);
      expect(malformed).toBe(0);
    }
  });

  it('do not include the names of columns, which stay with the first of them', async () => {
    const store = new MemoryStore();
    const input = 'time,message\n2026-03-02T18:00:00Z,one\n2026-03-02T18:00:01Z,"two, three"';
    expect(store.take(input).accepted).toBe(2);
    expect(await store.texts()).toEqual(['one', 'two, three']);
    expect(Buffer.concat((await store.lines()).flatMap((line) => [line, Buffer.from('\n')])).toString()).toBe(
      `${input}\n`,
    );
  });

  it('of JSON have time, level, service, text and their own fields', async () => {
    const { found } = await rows(
      '{"ts":"2026-03-02T18:00:00Z","severity":"WARN","service.name":"a","message":"lost 5","http":{"status":503},"tags":["x"],"k":null}',
    );
    expect(found).toEqual([
      {
        text: 'lost 5',
        level: 4,
        micros: Date.UTC(2026, 2, 2, 18) * 1000,
        service: 'a',
        fields: { level: 'WARN', service: 'a', 'http.status': '503', tags: '["x"]', k: 'null' },
      },
    ]);
  });

  it('of JSON without a message have the whole line as text, and still their fields', async () => {
    const { found } = await rows('{"level":"error","n":5}');
    expect(found[0]).toMatchObject({ text: '{"level":"error","n":5}', level: 5, fields: { n: '5' } });
  });

  it('of an access log have the level of their status', async () => {
    const line = (status: number): string =>
      `10.0.0.1 - - [02/Mar/2026:18:00:00 +0000] "GET /a/7 HTTP/1.1" ${status} 5`;
    const { found } = await rows([200, 404, 503].map(line).join('\n'));
    expect(found.map(({ level }) => level)).toEqual([3, 4, 5]);
    expect(found[2]!.fields).toMatchObject({
      method: 'GET',
      path: '/a/7',
      status: '503',
      bytes: '5',
      'client.address': '10.0.0.1',
    });
  });

  it('of plain text join what belongs together', async () => {
    const { found, result } = await rows(
      '2026-03-02 18:00:00 [main] ERROR [x.Y] failed\n\tat a.b\nCaused by: c\n2026-03-02 18:00:01 INFO done\n',
    );
    expect(result).toMatchObject({ accepted: 2, malformed: 0, format: 'plain', problems: [] });
    expect(found.map(({ text }) => text)).toEqual(['failed\n\tat a.b\nCaused by: c', 'done']);
    expect(found[0]!.fields).toMatchObject({ thread: 'main', logger: 'x.Y' });
  });

  it('that are not of the format are kept as text and counted, with the first line', async () => {
    const { result, found } = await rows('{"msg":"a"}\n{"msg":\n{"msg":"b"}\nnot json');
    expect(result).toMatchObject({ accepted: 4, malformed: 2 });
    expect(result.problems.find(({ code }) => code === 'not-of-format')).toMatchObject({
      count: 2,
      firstLine: 2,
      sample: '{"msg":',
    });
    expect(found.map(({ text }) => text)).toContain('not json');
  });

  it('without a time take that of the record before, or of arrival', async () => {
    const { found, result } = await rows('{"msg":"a"}\n{"msg":"b","ts":"2026-03-02T12:00:00Z"}\n{"msg":"c"}');
    expect(found.map(({ text, micros }) => [text, micros])).toEqual([
      ['b', Date.UTC(2026, 2, 2, 12) * 1000],
      ['c', Date.UTC(2026, 2, 2, 12) * 1000],
      ['a', ARRIVAL],
    ]);
    expect(result.problems).toMatchObject([{ code: 'no-time', count: 2, firstLine: 1 }]);
  });

  it('keep what is no UTF-8, and say so', async () => {
    const { result } = await rows(Buffer.from([0x61, 10, 0xff, 10, 0x62]));
    expect(result).toMatchObject({ accepted: 3, malformed: 1 });
    expect(result.problems.find(({ code }) => code === 'invalid-utf8')).toMatchObject({
      count: 1,
      firstLine: 2,
    });
  });

  it('longer than 4 MiB are cut, and say so', async () => {
    const { result } = await rows('x'.repeat(5 * 1024 * 1024));
    expect(result.accepted).toBe(2);
    expect(result.problems.map(({ code }) => code)).toContain('line-too-long');
  });

  it('of hostile JSON do no harm', async () => {
    const deep = `{"a":${'['.repeat(50_000)}${']'.repeat(50_000)}}`;
    const nested = `${'{"a":'.repeat(500)}1${'}'.repeat(500)}`;
    const wide = `{${Array.from({ length: 5000 }, (_, index) => `"k${index}":1`).join(',')}}`;
    const { result } = await rows(
      [
        '{"msg":"ok"}',
        '{"msg":"ok"}',
        '{"msg":"ok"}',
        '{"msg":"ok"}',
        deep,
        nested,
        wide,
        '{"__proto__":"x","msg":"p"}',
      ].join('\n'),
    );
    expect(result.accepted).toBe(8);
  });

  it('stored before are skipped when a batch is sent again', async () => {
    const { found, result } = await rows('{"msg":"a"}\n{"msg":"b"}\n{"msg":"c"}', { skip: 2 });
    expect(found.map(({ text }) => text)).toEqual(['c']);
    expect(result.accepted).toBe(3);
  });
});
