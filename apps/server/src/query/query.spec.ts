import type {
  CompleteAnswer,
  CountAnswer,
  DatasetSummary,
  ExcessAnswer,
  FieldsAnswer,
  FieldsNews,
  LogsSearchAnswer,
  PatternAnswer,
  PatternsSearchAnswer,
  ProblemBody,
  RegularityAnswer,
  SummaryAnswer,
  VolumeAnswer,
} from '@flail/contract';
import type { Asker } from '../access/asker.js';
import { RecordStore } from '../store/record-store.js';
import { TestApp } from '../testing/test-app.js';
import { PatternsService } from './patterns.service.js';
import { QueryService } from './query.service.js';
import { SummaryService } from './summary.service.js';

const START = Date.UTC(2026, 2, 2, 12);
const MINUTE = 60_000;
const at = (minute: number): string => new Date(START + minute * MINUTE).toISOString();
const window = (from: number, to: number): { from: string; to: string } => ({ from: at(from), to: at(to) });

/** Two hours: a line each minute from each of two services, and a new error in the last half hour. */
function lines(): string {
  const all: object[] = [];
  for (let minute = 0; minute < 120; minute++) {
    for (const service of ['a', 'b'])
      all.push({ ts: at(minute), level: 'info', service, msg: `beat ${minute} of ${service}x`, n: minute });
    if (minute >= 90)
      all.push({
        ts: at(minute),
        level: 'error',
        service: 'a',
        msg: `token ${minute} refused`,
        trace_id: `abcdef${String(minute).padStart(4, '0')}`,
      });
  }
  return all.map((one) => JSON.stringify(one)).join('\n');
}

describe('reads', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
    // Several segments, so that answers have to be put together.
    const all = lines().split('\n');
    for (let from = 0; from < all.length; from += 50)
      await app.take(all.slice(from, from + 50).join('\n'), 'source=s');
  });
  afterAll(() => app.end());

  const logs = (body: object): Promise<{ status: number; body: LogsSearchAnswer }> =>
    app.post('/api/v1/logs/search', body);

  it('give the records of a window page by page, each once, in order', async () => {
    for (const order of ['newest', 'oldest']) {
      const seen: string[] = [];
      let cursor: string | undefined;
      do {
        const { body } = await logs({ window: window(10, 110), order, limit: 37, ...(cursor && { cursor }) });
        expect(body.matched).toBe(220);
        seen.push(...body.records.map(({ time, id }) => `${time} ${id.padStart(6, '0')}`));
        cursor = body.cursor;
      } while (cursor);
      expect(seen).toHaveLength(220);
      expect(new Set(seen).size).toBe(220);
      expect(seen).toEqual(order === 'oldest' ? [...seen].sort() : [...seen].sort().reverse());
    }
  });

  it('give a whole record', async () => {
    const { body } = await logs({ window: window(119, 120), scope: 'level = error' });
    expect(body.records).toMatchObject([
      {
        time: '2026-03-02T13:59:00.000000Z',
        level: 'error',
        service: 'a',
        source: 's',
        text: 'token 119 refused',
        slots: [[6, 9]],
        fields: { trace: 'abcdef0119' },
      },
    ]);
    expect(JSON.parse(body.records[0]!.line)).toMatchObject({ msg: 'token 119 refused' });
  });

  it('give patterns with what is new first', async () => {
    const { body } = await app.post<PatternsSearchAnswer>('/api/v1/patterns/search', {
      window: window(90, 120),
      baseline: window(60, 90),
    });
    expect(body.patterns[0]).toMatchObject({
      focus: 30,
      baseline: 0,
      earlier: 0,
      change: 'first seen',
      level: 'error',
      services: ['a'],
      firstSeen: '2026-03-02T13:30:00.000000Z',
      sentence: [{ text: 'token ' }, { slot: '119', type: 'number' }, { text: ' refused' }],
    });
    expect(body.matched).toEqual({ focus: 90, baseline: 60 });
    expect(body.changes['first seen']).toBe(1);
    const only = await logs({ window: window(0, 120), scope: `pattern ${body.patterns[0]!.id}` });
    expect(only.body.matched).toBe(30);
  });

  it('put patterns in every order that is offered', async () => {
    const first = async (order: string): Promise<number> =>
      (
        await app.post<PatternsSearchAnswer>('/api/v1/patterns/search', {
          window: window(80, 120),
          baseline: window(40, 80),
          order,
        })
      ).body.patterns[0]!.focus;
    expect(await first('common')).toBe(40);
    expect(await first('rare')).toBe(30);
    expect(await first('latest')).toBe(30);
    expect(await first('changed')).toBe(30);
  });

  it('count, also what would widen an empty result', async () => {
    const count = async (scope: string): Promise<CountAnswer> =>
      (
        await app.post<CountAnswer>('/api/v1/logs/count', {
          window: window(0, 30),
          baseline: window(90, 120),
          scope,
        })
      ).body;
    expect(await count('level = error')).toEqual({
      focus: 0,
      baseline: 30,
      anyTime: 30,
      unscoped: { focus: 60, baseline: 90 },
    });
  });

  it('give volume over time that adds up', async () => {
    const { body } = await app.get<VolumeAnswer>(`/api/v1/volume?from=${at(0)}&to=${at(120)}&steps=12`);
    expect(body.total).toEqual([...Array<number>(9).fill(20), 30, 30, 30]);
    expect(body.errors).toEqual([...Array<number>(9).fill(0), 10, 10, 10]);
    const all = await app.get<VolumeAnswer>('/api/v1/volume');
    expect(all.body.total.reduce((sum, count) => sum + count, 0)).toBe(270);
    const datasets = await app.get<DatasetSummary[]>('/api/v1/datasets');
    expect(datasets.body).toMatchObject([{ id: 'live', records: 270, window: all.body.window }]);
  });

  it('tell when errors stand out, to the minute', async () => {
    const { body } = await app.get<ExcessAnswer>(`/api/v1/excess?from=${at(0)}&to=${at(120)}`);
    // One error a minute is too little for any step to be sure.
    expect(body.periods).toEqual([]);
    const many = await TestApp.start();
    try {
      const burst = Array.from({ length: 2000 }, (_, index) => ({
        ts: at(index / 10),
        level: index >= 1500 && index % 2 ? 'error' : 'info',
        msg: `x ${index}`,
      }));
      await many.take(burst.map((one) => JSON.stringify(one)).join('\n'));
      const found = await many.get<ExcessAnswer>('/api/v1/excess');
      expect(found.body.periods).toMatchObject([{ goesOn: true, usual: 0 }]);
      const start = Date.parse(found.body.periods[0]!.window.from);
      expect(Math.abs(start - Date.parse(at(150)))).toBeLessThanOrEqual(60_000);
    } finally {
      await many.end();
    }
  });

  it('complete fields and values, the commonest first', async () => {
    const fields = await app.get<CompleteAnswer>('/api/v1/complete?prefix=tr');
    expect(fields.body).toEqual({ fields: ['trace'] });
    const values = await app.get<CompleteAnswer>('/api/v1/complete?field=service');
    expect(values.body).toEqual({
      values: [
        { value: 'a', count: 150 },
        { value: 'b', count: 120 },
      ],
    });
  });

  it.each([
    ['a window backwards', { window: window(5, 1) }, 'window-backwards'],
    ['no moment', { window: { from: 'soon', to: at(1) } }, 'moment'],
    ['no window', {}, 'validation'],
    ['an unknown order', { window: window(0, 1), order: 'sideways' }, 'validation'],
    ['a property that does not exist', { window: window(0, 1), widow: 1 }, 'validation'],
    ['a foreign cursor', { window: window(0, 1), cursor: '!!' }, 'cursor'],
    ['a pattern that does not exist', { window: window(0, 1), scope: 'pattern zzzzz' }, 'no-such-pattern'],
    ['a body that is no JSON', '{"window"', 'json'],
  ])('answer %s as problem details', async (_, body, code) => {
    const answer = await app.post<ProblemBody>('/api/v1/logs/search', body);
    expect(answer.status).toBe(400);
    expect(answer.type).toContain('application/problem+json');
    expect(answer.body).toMatchObject({ code, status: 400 });
    expect(answer.body.detail.length).toBeGreaterThan(20);
  });

  it('say where an expression is wrong and what was expected', async () => {
    const { body } = await app.post<ProblemBody>('/api/v1/logs/search', {
      window: window(0, 1),
      scope: 'level >= and x',
    });
    expect(body).toMatchObject({ code: 'expression', position: { from: 9, to: 12 } });
    expect(body.detail).toContain('Expected a value after >=');
  });

  it('answer an unknown path and an unknown data set', async () => {
    expect((await app.get<ProblemBody>('/api/v1/nothing')).body).toMatchObject({
      status: 404,
      code: 'no-such-path',
    });
    const { body } = await app.post<ProblemBody>('/api/v1/logs/search', {
      window: window(0, 1),
      dataset: 'x',
    });
    expect(body).toMatchObject({ status: 404, code: 'no-such-dataset' });
  });

  it('make tables of an expression with steps, for both windows', async () => {
    const { status, body } = await app.post<SummaryAnswer>('/api/v1/logs/summary', {
      window: window(90, 120),
      baseline: window(60, 90),
      expression: 'service = a then count, max(n) as last by level then sort count',
    });
    expect(status).toBe(200);
    expect(body.columns.map(({ name }) => name)).toEqual(['level', 'count', 'last']);
    expect(new Set(body.rows.map((row) => row.join()))).toEqual(new Set(['info,30,119', 'error,30,']));
    expect(body.baselineRows).toEqual([['info', 30, 89]]);
    expect(body.matched).toBe(60);
    expect(body.how.segments).toBeGreaterThan(0);
    expect(body.how.skipped).toBeGreaterThan(0);
    const byPattern = await app.post<SummaryAnswer>('/api/v1/logs/summary', {
      window: window(90, 120),
      expression: 'then count by pattern',
    });
    expect(byPattern.body.rows.map(([, count]) => count)).toEqual([30, 30, 30]);
    const timed = await app.post<SummaryAnswer>('/api/v1/logs/summary', {
      window: window(90, 92),
      expression: 'level = error then count every 1m',
    });
    expect(timed.body.rows).toEqual([
      ['2026-03-02T13:30:00.000000Z', 1],
      ['2026-03-02T13:31:00.000000Z', 1],
    ]);
  });

  it.each([
    ['then cuont', 'expression'],
    ['then count then where nosuch > 1', 'no-such-column'],
    ['then max(slot.1)', 'slot-without-pattern'],
    ['then count every 1ms', 'too-many-steps'],
    ['then count then count', 'expression'],
  ])('refuse the summary %s', async (expression, code) => {
    const { body } = await app.post<ProblemBody>('/api/v1/logs/summary', {
      window: window(0, 120),
      expression,
    });
    expect(body).toMatchObject({ status: 400, code });
  });

  it('measure the slots of a pattern, and search them', async () => {
    const found = await app.post<PatternsSearchAnswer>('/api/v1/patterns/search', {
      window: window(0, 120),
      scope: 'token',
    });
    const { id } = found.body.patterns[0]!;
    const { body } = await app.post<SummaryAnswer>('/api/v1/logs/summary', {
      window: window(0, 120),
      expression: `pattern ${id} and slot.1 > 100 then count, min(slot.1), max(slot.1)`,
    });
    expect(body.rows).toEqual([[19, 101, 119]]);
    const query = new URLSearchParams({ ...window(105, 120), baselineFrom: at(90), baselineTo: at(105) });
    const one = await app.get<PatternAnswer>(`/api/v1/patterns/${id}?${query.toString()}`);
    expect(one.body.sentence.map((part) => ('text' in part ? part.text : '·')).join('')).toBe(
      'token · refused',
    );
    expect(one.body.slots).toHaveLength(1);
    expect(one.body.slots[0]).toMatchObject({
      type: 'number',
      field: 'slot.1',
      focus: 15,
      baseline: 15,
      distinct: 30,
    });
    expect((await app.get<ProblemBody>('/api/v1/patterns/nosuch')).status).toBe(404);
  });

  it('search by regular expressions', async () => {
    const { body } = await logs({ window: window(0, 120), scope: 'text ~ /^token 1[01]\\d refused$/' });
    expect(body.matched).toBe(20);
    expect(
      (await logs({ window: window(0, 120), scope: 'service ~ /^[ab]$/ and trace !~ /abc/' })).body.matched,
    ).toBe(240);
  });

  it('put fields first that differ', async () => {
    const { body } = await app.post<FieldsAnswer>('/api/v1/logs/fields', {
      window: window(90, 120),
      baseline: window(60, 90),
    });
    // The count of minutes went on, which is a shift; so the level comes second.
    expect(body.fields.slice(0, 2).map(({ field }) => field)).toEqual(['n', 'level']);
    expect(body.fields[0]!.shift).toMatchObject({ above: 1, significant: true });
    const error = body.fields[1]!.values.find(({ value }) => value === 'error');
    expect(error).toMatchObject({ focus: 30, baseline: 0, significant: true });
    expect(body.fields.find(({ field }) => field === 'trace')).toMatchObject({ identifier: true });
    const none = await app.post<ProblemBody>('/api/v1/logs/fields', { window: window(0, 120) });
    expect(none.body.code).toBe('no-baseline');
  });

  it('tell of fields once some of both windows is counted', async () => {
    const body = { window: window(60, 120), baseline: window(0, 60) };
    const news = await app.told<Partial<FieldsNews> & { answer?: FieldsAnswer }>('/api/v1/logs/fields', body);
    expect(news.at(-1)!.answer).toEqual((await app.post<FieldsAnswer>('/api/v1/logs/fields', body)).body);
    const early = news.filter(({ fields }) => fields !== undefined);
    expect(early.length).toBeGreaterThan(0);
    for (const { done, total, fields } of early) {
      expect(done).toBeLessThan(total!);
      expect(fields!.some(({ focus }) => focus > 0)).toBe(true);
      expect(fields!.some(({ baseline }) => baseline > 0)).toBe(true);
    }
    for (const [at, { done }] of early.entries())
      if (at > 0) expect(done).toBeGreaterThan(early[at - 1]!.done!);
  });

  it('say whether records are regular', async () => {
    const query = new URLSearchParams({ ...window(0, 120), scope: 'service = b' });
    const { body } = await app.get<RegularityAnswer>(`/api/v1/regularity?${query.toString()}`);
    expect(body).toMatchObject({ events: 120, periodic: true, missed: [] });
    expect(body.period).toBeCloseTo(60, 3);
  });

  it('tell what is certain before all is searched', async () => {
    const body = { window: window(0, 120), limit: 20 };
    type News = Partial<{ done: number; total: number; matched: number; records: unknown[] }>;
    const news = await app.told<News & { answer?: LogsSearchAnswer }>('/api/v1/logs/search', body);
    const whole = (await logs(body)).body;
    expect(news.at(-1)!.answer).toEqual(whole);
    const progress = news.filter(({ total }) => total !== undefined);
    expect(progress.at(-1)!.done).toBe(progress.at(-1)!.total);
    expect(progress.at(-1)!.matched).toBe(whole.matched);
    const early = news.flatMap(({ records = [] }) => records);
    expect(early).toEqual(whole.records.slice(0, early.length));
  });

  it('are right for a hundred askers at once', async () => {
    const questions = Array.from({ length: 100 }, (_, index) => ({
      window: window(index, 120),
      expression: 'then count',
    }));
    const answers = await Promise.all(
      questions.map((question) => app.post<SummaryAnswer>('/api/v1/logs/summary', question)),
    );
    expect(answers.map(({ status }) => status)).toEqual(questions.map(() => 200));
    // Two lines a minute, and a third in the last half hour.
    expect(answers.map(({ body }) => body.matched)).toEqual(
      questions.map((_, index) => 2 * (120 - index) + Math.min(30, 120 - index)),
    );
  });

  it('describe themselves', async () => {
    const { body } = await app.get<{ paths: Record<string, unknown> }>('/api/docs-json');
    expect(Object.keys(body.paths)).toEqual(
      expect.arrayContaining([
        '/api/v1/intake/logs',
        '/api/v1/logs/search',
        '/api/v1/patterns/search',
        '/api/v1/volume',
      ]),
    );
  });

  it('show a restricted asker what a store without the hidden services would', async () => {
    const bare = await TestApp.start();
    try {
      await bare.take(
        lines()
          .split('\n')
          .filter((one) => one.includes('"service":"b"'))
          .join('\n'),
        'source=s',
      );
      const asker: Asker = { name: 'dev', role: 'developer', services: ['b'] };
      const answersOf = async (one: TestApp, who: Asker): Promise<unknown> => {
        const queries = one.app.get(QueryService);
        const dataset = one.app.get(RecordStore).dataset();
        const micros = (minute: number): number => (START + minute * MINUTE) * 1000;
        const asked = {
          asker: who,
          dataset,
          window: { from: micros(90), to: micros(120) },
          baseline: { from: micros(60), to: micros(90) },
          scope: '',
        };
        const { records, matched } = await queries.search(asked, 'oldest', 100);
        const { patterns, changes } = await one.app.get(PatternsService).search(asked, 'surprise', 100);
        return {
          texts: records.map(({ text }) => text),
          matched,
          patterns: patterns.map(({ focus, baseline, earlier, firstSeen }) => ({
            focus,
            baseline,
            earlier,
            firstSeen,
          })),
          changes,
          summary: (await one.app.get(SummaryService).summary(asked, 'then count by service, level every 5m'))
            .rows,
          fields: await one.app.get(SummaryService).fields(asked, 10),
          regularity: await one.app.get(SummaryService).regularity(asked),
          count: await queries.count(asked),
          volume: (await queries.volume(asked, 6)).total,
          values: await queries.complete(asked, 'service', '', 10),
          traces: await queries.complete(asked, 'trace', '', 10),
        };
      };
      const operator: Asker = { name: 'operator', role: 'operator', services: 'all' };
      expect(await answersOf(app, asker)).toEqual(await answersOf(bare, operator));
    } finally {
      await bare.end();
    }
  });
});
