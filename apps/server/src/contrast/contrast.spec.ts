import type { ContrastAnswer, ContrastNews, InvestigationAnswer, RecoveryAnswer } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const NOW = Date.UTC(2026, 2, 4, 18);
const SECOND = 1000;
const iso = (seconds: number): string => new Date(NOW + seconds * SECOND).toISOString();
const nanos = (seconds: number): string => `${BigInt(Math.round((NOW + seconds * SECOND) * 1e6))}`;
const text = (key: string, value: string) => ({ key, value: { stringValue: value } });

interface Told {
  /** Seconds after the moment that all is told from. */
  at: number;
  port: string;
  failed: boolean;
  calls: number;
}

const hex = (number: number, length: number): string => number.toString(16).padStart(length, '0');

/** A request through two services, with so many calls of a store. */
function spansOf({ at, port, failed, calls }: Told, number: number): object[] {
  const trace = hex(number + 1, 32);
  const span = (
    service: string,
    id: number,
    parent: number,
    name: string,
    from: number,
    took: number,
    more: object[] = [],
    bad = false,
  ): object => ({
    resource: {
      attributes: [text('service.name', service), text('service.instance.id', `${service}-${number % 4}`)],
    },
    scopeSpans: [
      {
        spans: [
          {
            traceId: trace,
            spanId: hex(number * 1000 + id, 16),
            ...(parent > 0 && { parentSpanId: hex(number * 1000 + parent, 16) }),
            name,
            kind: parent === 0 || service === 'nest' ? 2 : 3,
            startTimeUnixNano: nanos(from),
            endTimeUnixNano: nanos(from + took),
            attributes: more,
            ...(bad && { status: { code: 2, message: 'no room' } }),
          },
        ],
      },
    ],
  });
  const took = 0.01 * calls + 0.02;
  return [
    span(
      'edge',
      1,
      0,
      'POST /eggs',
      at,
      took,
      [text('port', port), text('http.request.method', 'POST')],
      failed,
    ),
    span('nest', 2, 1, 'lay', at + 0.005, took - 0.01, [], failed),
    ...Array.from({ length: calls }, (_, call) =>
      span('edge', 3 + call, 1, 'select egg', at + 0.006 + 0.01 * call, 0.009),
    ),
  ];
}

describe('a contrast', () => {
  let app: TestApp;
  const BEGAN = -1200;
  const requests: Told[] = Array.from({ length: 360 }, (_, number): Told => {
    const at = -3600 + number * 10;
    const port = ['gull', 'tern', 'skua'][number % 3]!;
    return { at, port, failed: at >= BEGAN && port === 'skua', calls: number % 5 === 0 ? 40 : 2 };
  });
  const asked = {
    window: { from: iso(-1800), to: iso(0) },
    baseline: { from: iso(-3600), to: iso(-1800) },
    scope: '',
  };

  beforeAll(async () => {
    app = await TestApp.start();
    await app.post('/v1/traces', { resourceSpans: requests.flatMap(spansOf) });
    await app.post('/api/v1/intake/changes', [
      {
        specversion: '1.0',
        id: 'c1',
        source: '/deploy',
        type: 'org.example.configuration',
        time: iso(BEGAN - 60),
        data: { title: 'nests of skua 20 → 0', service: 'nest' },
      },
    ]);
    const lines = requests.flatMap(({ at, failed, port }, number) =>
      failed
        ? [
            JSON.stringify({
              ts: iso(at + 0.01),
              msg: `no room in nest ${number}`,
              service: 'nest',
              level: 'error',
              trace: hex(number + 1, 32),
              port,
            }),
          ]
        : [
            JSON.stringify({
              ts: iso(at + 0.01),
              msg: `egg ${number} laid`,
              service: 'nest',
              level: 'info',
              trace: hex(number + 1, 32),
            }),
          ],
    );
    const early = JSON.stringify({
      ts: iso(BEGAN - 45),
      msg: 'register of nests read anew',
      service: 'nest',
      level: 'info',
      coasts: 'skua,auk',
    });
    await app.take([...lines, early].join('\n'), 'source=nest');
    const run = (id: string, minute: number, port: string, failed: boolean): object[] => {
      const event = (type: string, at: number): object => ({
        eventType: type,
        eventTime: iso(60 * at),
        run: {
          runId: `00000000-0000-4000-8000-${id.padStart(12, '0')}`,
          facets: {
            ...(type !== 'START' &&
              failed && {
                errorMessage: {
                  message: 'fold failed',
                  programmingLanguage: 'TypeScript',
                  stackTrace: 'Error: no\n    at node:internal/x\n    at fold (folding.ts:8:13)',
                },
              }),
            flail_parameters: { parameters: { port } },
            flail_run: { parameters: { port } },
          },
        },
        job: { namespace: 'x', name: 'export' },
        producer: 'urn:x',
        schemaURL: 'urn:x',
      });
      return [event('START', minute), event(failed ? 'FAIL' : 'COMPLETE', minute + 0.5)];
    };
    await app.post(
      '/api/v1/intake/runs',
      Array.from({ length: 30 }, (_, at) =>
        run(String(at), -60 + at * 2, ['gull', 'tern', 'skua'][at % 3]!, at % 3 === 2),
      ).flat(),
    );
  });
  afterAll(() => app.end());

  const contrast = async (more: object = {}): Promise<ContrastAnswer> =>
    (await app.post<ContrastAnswer>('/api/v1/contrast', { ...asked, ...more })).body;

  it('finds what sets the failing apart, with samples, what speaks against it, and lines before', async () => {
    const found = await contrast();
    const failed = requests.filter((one) => one.failed).length;
    expect(found.first).toMatchObject({ outcome: 'failed', kept: failed, used: failed });
    expect(found.second.kept).toBe(requests.filter(({ at, failed: bad }) => at >= -1800 && !bad).length);
    const [best] = found.signatures;
    expect(best).toMatchObject({
      coverage: 1,
      purity: 1,
      verdict: 'tells them apart',
      check: { verdict: 'confirmed' },
    });
    expect(best!.samples.length).toBeGreaterThan(0);
    expect([best!.counterHealthy, best!.counterFailing]).toEqual([[], []]);
    const said = found.differences.flatMap(({ term, with: others }) =>
      [term, ...others].map(({ feature }) => feature.name),
    );
    expect(said).toContain('port');
    expect(said).toContain('no room in nest …');
    // What says that it failed is no reason for it.
    expect(found.setAside.map(({ feature }) => feature.name)).toContain('status.message');
    expect(found.path).toEqual(expect.arrayContaining(['edge', 'nest']));
    expect(Math.abs(Date.parse(found.onset!) - Date.parse(iso(BEGAN)))).toBeLessThan(30 * SECOND);
    expect(found.early[0]).toMatchObject({
      service: 'nest',
      text: 'register of nests read anew',
      shared: [{ value: 'skua', of: 'port' }],
    });
  });

  it('tells slow ones apart by how often something is called', async () => {
    const found = await contrast({ first: { preset: 'slow' } });
    const [first] = found.differences;
    expect(first!.term.feature).toMatchObject({ kind: 'calls', name: 'select egg', service: 'edge' });
    expect(first!.term.low).toBeGreaterThan(2);
    expect(found.times.map(({ term }) => term.feature.kind)).toEqual(expect.arrayContaining(['time']));
  });

  it('says where no more went wrong than in the baseline', async () => {
    expect((await contrast({})).usual).toBeUndefined();
    const within = { from: iso(-600), to: iso(0) };
    const before = { from: iso(-1200), to: iso(-600) };
    expect(await contrast({ window: within, baseline: before })).toMatchObject({ usual: true });
  });

  it('tells what fields and calls set apart before it has looked at all else', async () => {
    const news = await app.told<ContrastNews & { answer?: ContrastAnswer }>('/api/v1/contrast', {
      ...asked,
      first: { preset: 'failed' },
    });
    const ahead = news.slice(0, -1).find(({ differences }) => differences !== undefined)?.differences;
    expect(ahead?.[0]?.term).toMatchObject({ feature: { kind: 'field', name: 'port' }, values: ['skua'] });
    expect(new Set(ahead?.map(({ term }) => term.feature.kind))).toEqual(new Set(['field']));
    const kinds = new Set(
      news
        .at(-1)!
        .answer!.differences.flatMap((one) => [one.term, ...one.with].map(({ feature }) => feature.kind)),
    );
    expect(kinds.has('pattern')).toBe(true);
  });

  it('is of cohorts of one’s own: filters, windows, cuts', async () => {
    const ports = await contrast({
      first: { preset: 'all', scope: 'port = gull' },
      second: { preset: 'all', scope: 'port = tern' },
    });
    expect(ports.first.kept).toBe(60);
    expect(ports.differences[0]!.term).toMatchObject({ feature: { name: 'port' }, values: ['gull'] });
    const cut = await contrast({
      first: { preset: 'all', slower: 0.3 },
      second: { preset: 'all', faster: 0.1 },
    });
    expect(cut.first.kept).toBe(36);
    const before = await contrast({
      first: { preset: 'failed' },
      second: { preset: 'all', window: asked.baseline },
    });
    expect(before.second.kept).toBe(180);
  });

  it('says that nothing sets apart what chance made', async () => {
    const found = await contrast({ first: { preset: 'failed', scope: 'port = none' } });
    expect(found.first.kept).toBe(0);
    expect([found.signatures, found.early]).toEqual([[], []]);
  });

  it('tells runs that failed from those that were done, with the line of the stack', async () => {
    const found = await contrast({ items: 'runs', window: { from: iso(-4000), to: iso(100) } });
    expect(found).toMatchObject({ items: 'runs', first: { kept: 10 }, second: { kept: 20 } });
    expect(found.signatures[0]?.frame).toBe('at fold (folding.ts:8:13)');
  });

  it('is a part of an investigation, which concludes from its findings', async () => {
    const { body } = await app.post<InvestigationAnswer>('/api/v1/investigations', asked);
    const kinds = new Set(body.findings.map(({ kind }) => kind));
    expect([...kinds]).toEqual(expect.arrayContaining(['impact', 'begins', 'pattern', 'signature', 'early']));
    for (const { address } of body.findings) expect(address).toMatch(/^\/\w+\?focus=/);
    expect(body.conclusion.causes.length).toBeGreaterThan(0);
    for (const { evidence } of body.conclusion.causes)
      for (const { finding } of evidence) expect(body.findings[finding]).toBeDefined();
  });

  it('is seen to recover, or to go on', async () => {
    const { body } = await app.post<RecoveryAnswer>('/api/v1/recovery', asked);
    expect(body.state).toBe('goes on');
    expect(body.usual).toBe(0);
    const calm = await app.post<RecoveryAnswer>('/api/v1/recovery', { ...asked, scope: 'port = gull' });
    expect(calm.body.state).toBe('recovered');
  });
});
