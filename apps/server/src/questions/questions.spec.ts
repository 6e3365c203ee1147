import type { ProblemBody, QuestionAnswer } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const NOW = Date.UTC(2026, 2, 4, 18);
const MINUTE = 60_000;
const iso = (minute: number): string => new Date(NOW + minute * MINUTE).toISOString();
const nanos = (minute: number): string => `${BigInt(Math.round((NOW + minute * MINUTE) * 1e6))}`;
const text = (key: string, value: string) => ({ key, value: { stringValue: value } });
const hex = (number: number, length: number): string => number.toString(16).padStart(length, '0');

/** A request a minute for each of three ports; those of skua fail in the last half hour. */
const span = (number: number): object => {
  const minute = -120 + Math.floor(number / 3);
  const port = ['gull', 'tern', 'skua'][number % 3]!;
  const failed = port === 'skua' && minute >= -30;
  return {
    resource: {
      attributes: [text('service.name', 'edge'), text('service.instance.id', `edge-${number % 2}`)],
    },
    scopeSpans: [
      {
        spans: [
          {
            traceId: hex(number + 1, 32),
            spanId: hex(number + 1, 16),
            name: 'POST /eggs',
            kind: 2,
            startTimeUnixNano: nanos(minute),
            endTimeUnixNano: nanos(minute + (port === 'tern' ? 0.02 : 0.002)),
            attributes: [text('port', port)],
            ...(failed && { status: { code: 2, message: 'no room' } }),
          },
        ],
      },
    ],
  };
};

const runEvent = (runId: string, minute: number, eventType: string, port: string): object => ({
  eventType,
  eventTime: iso(minute),
  producer: 'https://example.org/test',
  schemaURL: 'https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs/RunEvent',
  run: { runId, facets: { flail_parameters: { parameters: { port } } } },
  job: { namespace: 'nest', name: 'moult' },
});

describe('questions in plain words', () => {
  let app: TestApp;
  const windows = {
    window: { from: iso(-60), to: iso(0) },
    baseline: { from: iso(-120), to: iso(-60) },
  };
  const ask = async (question: string, earlier: string[] = []): Promise<QuestionAnswer> =>
    (await app.post<QuestionAnswer>('/api/v1/questions', { ...windows, question, earlier })).body;

  beforeAll(async () => {
    app = await TestApp.start();
    await app.post('/v1/traces', { resourceSpans: Array.from({ length: 360 }, (_, number) => span(number)) });
    const lines = Array.from({ length: 120 }, (_, at) =>
      JSON.stringify({
        ts: iso(-120 + at),
        msg: at % 40 === 39 ? `lease of egg ${at} lost` : `egg ${at} laid`,
        service: at % 4 === 0 ? 'nest' : 'edge',
        level: at % 10 === 0 ? 'error' : 'info',
        site: at % 2 === 0 ? 'cliff' : 'beach',
      }),
    );
    await app.take([...lines, JSON.stringify({ ts: iso(-1), msg: 'end', service: 'edge' })].join('\n'));
    await app.post('/api/v1/intake/changes', [
      {
        specversion: '1.0',
        id: 'c1',
        source: '/deploy',
        type: 'org.example.deployment',
        time: iso(-32),
        data: { title: 'edge 1.3 → 1.4', service: 'edge' },
      },
    ]);
    await app.post(
      '/api/v1/intake/runs',
      Array.from({ length: 12 }, (_, round) => {
        const port = round % 3 === 0 ? 'skua' : 'gull';
        return [
          runEvent(`r${round}`, -50 + 4 * round, 'START', port),
          runEvent(`r${round}`, -49 + 4 * round, round % 3 === 0 ? 'FAIL' : 'COMPLETE', port),
        ];
      }).flat(),
    );
  });
  afterAll(() => app.end());

  it('which values fail, of requests and of runs, the worst first', async () => {
    const { understood, parts, unread } = await ask('Which ports fail most in the last hour?');
    expect(unread).toEqual([]);
    expect(understood!.sentence).toBe(
      'which port has the largest share of requests that fail; in the last hour',
    );
    const [requests, runs] = parts;
    expect(requests!.text).toMatch(
      /^skua is the worst port: \d\d% of its requests fail, (29|30) of (59|60)\.$/,
    );
    expect(requests!.rows!.map(([port]) => port)).toEqual(['skua']);
    expect(requests!.address).toMatch(/^\/requests\?.*which=failed/);
    expect(runs!.text).toContain('skua is the worst port: 100% failed or ended with errors, 4 of 4');
    const slow = await ask('which ports are slow?');
    expect(slow.understood!.expression).toBe('');
  });

  it('when a phrase was first seen, in all that is held, and how often after that', async () => {
    const { understood, parts } = await ask('When did "lost" first appear?');
    expect(understood!.expression).toBe('"lost"');
    expect(parts[0]!.text).toBe(
      `First at 2026-03-04 16:39:00 UTC, by edge: “lease of egg 39 lost”. 3 lines like it in this time.`,
    );
    const often = await ask('how often did it come in the last hour?', ['When did "lost" first appear?']);
    expect(often.understood!.carried).toEqual(['"lost"']);
    expect(often.parts[0]!.text).toMatch(/^1 lines in this time|^2 lines in this time/);
  });

  it('what has most lines, with the expression that counts them', async () => {
    const { understood, parts } = await ask('which sites log most errors');
    expect(understood!.expression).toBe('level >= error then count by site then sort count desc');
    expect(parts[0]!.rows![0]).toEqual(['cliff', 6]);
    expect(parts[0]!.address).toContain('then=count+by+site');
    const edge = await ask('only edge', ['which sites log most errors']);
    expect(edge.understood!.expression).toContain('service = edge');
    expect(edge.understood!.carried).toContain('the question');
  });

  it.each([
    ['what changed since 16:00?', /^1 change; the latest at .* edge 1\.3 → 1\.4\.$/],
    ['how many requests failed?', /^(29|30) of \d+ requests fail: 1\d%, 0% in the baseline\.$/],
    ['how many runs are there', /^12 runs, of which 4 went wrong and 0 have not ended\.$/],
    ['which operations are slowest', /^edge POST \/eggs takes longest: 1\.20 s at the 95th percentile/],
    ['is any run stuck', /^No run is stuck\.$/],
    ['what do the failing requests have in common', /port skua/],
    ['show errors of nest', /lines; the newest of them\.$|^\d+ lines/],
    ['what is new in the logs', /kinds? of lines? (are|is) new/],
    ['which operations fail', /^edge POST \/eggs is the worst operation/],
    ['which jobs fail', /moult is the worst job: 33% failed/],
    ['what moved first', /./],
    ['why do requests fail', /./],
    // Four that failed are too few to tell of; it is asked of runs all the same.
    ['why do runs of moult fail', /^No cause can be told .* 33% of the runs of moult went wrong/],
    [
      'when did moult first fail',
      /^The first of 4 that went wrong: 2026-03-04 17:10:00 UTC, moult \(skua\), failed\.$/,
    ],
    ['when was the last run of moult', /^The last of 12: 2026-03-04 17:54:00 UTC, moult \(gull\), done\.$/],
    ['how many POST /eggs requests failed', /^(29|30) of \d+ requests fail/],
  ])('%s', async (question, answer) => {
    const { understood, unread, parts } = await ask(question);
    expect(unread).toEqual([]);
    expect(understood).toBeDefined();
    expect(parts[0]!.text).toMatch(answer);
  });

  it('that are not understood are answered with the words that nothing was made of', async () => {
    const { understood, unread, parts, suggestions } = await ask('sing me a shanty');
    expect(understood).toBeUndefined();
    expect(unread).toEqual(['sing', 'shanty']);
    expect(parts).toEqual([]);
    expect(suggestions).toContain('which port fails most since yesterday?');
    const empty = await app.post<ProblemBody>('/api/v1/questions', { ...windows, question: '' });
    expect(empty.status).toBe(400);
  });
});
