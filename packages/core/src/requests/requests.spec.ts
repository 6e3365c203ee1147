import { span } from '../testing/spans.js';
import { request } from '../testing/requests.js';
import { ARRIVAL, MemoryStore } from '../testing/memory-store.js';
import { besideRuns } from './beside.js';
import { entriesOf, type Outcome, type Request, requestsIn, tracesOf } from './entries.js';
import { makeUp } from './make-up.js';
import { operationsOf } from './operations.js';
import { originsOf } from './origin.js';
import { pageOf } from './page.js';
import { stripsOf } from './strips.js';
import { counted, isSlow, quantiles, slowLimits, tallyOf } from './tally.js';
import { toldOf, treesOf } from './traces.js';
import { traceTree } from './tree.js';
import { parseExpression } from '../query/expression.js';
import { isWithin, requestsWithin } from './within.js';
import { pseudoRandom } from '../testing/random.js';
import { type Told, twinDifferences, twinOf } from './twin.js';

const WINDOW = { from: ARRIVAL, to: ARRIVAL + 60_000_000 };

/** Spans as lines, as they are brought in; `at` in seconds. */
const spanLine = (trace: string, id: string, at: number, more: object = {}): string =>
  JSON.stringify({
    time: new Date(ARRIVAL / 1000 + at * 1000).toISOString(),
    text: 'GET /nests',
    service: 'edge',
    trace: trace.repeat(32).slice(0, 32),
    span: id.repeat(16).slice(0, 16),
    kind: 'server',
    duration: '20.000000ms',
    status: 'unset',
    ...more,
  });

const spanOf = (id: string): string => id.repeat(16).slice(0, 16);
const traceOf = (id: string): string => id.repeat(32).slice(0, 32);

async function requestsOfLines(...segments: string[][]): Promise<Request[]> {
  const store = new MemoryStore();
  for (const lines of segments) {
    store.take(lines.join('\n'), { format: 'json' });
    store.seal();
  }
  return requestsIn(await Promise.all(store.views().map((view) => entriesOf(view))), WINDOW);
}

describe('requests', () => {
  it('begin with spans that nobody asked for, each trace once', async () => {
    const found = await requestsOfLines([
      spanLine('a', '1', 1),
      spanLine('a', '2', 1.01, { parent: spanOf('1'), service: 'gull' }),
      spanLine('b', '3', 2),
      spanLine('b', '4', 2.5),
      spanLine('c', '5', 70),
    ]);
    expect(found.map(({ trace, at }) => [trace[0], at - ARRIVAL])).toEqual([
      ['a', 1_000_000],
      ['b', 2_000_000],
    ]);
    expect(found[0]!.seconds).toBeCloseTo(0.02);
  });

  it('begin with whom somebody unknown asked, wherever the first span lies', async () => {
    const found = await requestsOfLines(
      [spanLine('a', '2', 1.01, { parent: spanOf('1') }), spanLine('b', '3', 2, { parent: spanOf('9') })],
      [spanLine('a', '1', 1)],
    );
    expect(found.map(({ trace, at }) => [trace[0], at - ARRIVAL])).toEqual([
      ['a', 1_000_000],
      ['b', 2_000_000],
    ]);
  });

  it.each([
    ['hexadecimal, different in their last digits', (id: string) => `feedbeef0000${id}`, '1'],
    ['hexadecimal, different in their first digits', (id: string) => `${id}feedbeef0000`, '1'],
    ['one of them of another kind', (id: string) => `feedbeef0000${id}`, 'z'],
  ])('begin where no span is the parent, with ids that are %s', async (_, idOf, odd) => {
    const id = (number: number): string => idOf(number.toString(16).padStart(4, '0'));
    // Of each three the second is asked by the first, the third by one that is not there.
    const parents = (at: number) => [{}, { parent: id(at - 1) }, { parent: id(50_000 + at) }][at % 3]!;
    const lines = Array.from({ length: 90 }, (__, at) =>
      spanLine(at.toString(16).padStart(4, '0'), '0', at / 100, { span: id(at), ...parents(at) }),
    );
    const found = await requestsOfLines([...lines, spanLine('f', '0', 50, { span: odd.repeat(16) })]);
    expect(found.map(({ at }) => (at - ARRIVAL) / 1e6)).toEqual([
      ...lines.flatMap((__, at) => (at % 3 === 1 ? [] : [at / 100])),
      50,
    ]);
    expect(found.filter(({ first }) => !first)).toHaveLength(30);
  });

  it('end well, refused, failed, or well with something broken inside', async () => {
    const status = (code: number) => ({ 'http.response.status_code': code });
    const inner = (trace: string, at: number) =>
      spanLine(trace, `f${trace}`, at, { parent: spanOf(trace), status: 'error', kind: 'client' });
    const found = await requestsOfLines([
      spanLine('1', '1', 1, status(200)),
      spanLine('2', '2', 2, status(404)),
      spanLine('3', '3', 3, status(503)),
      spanLine('4', '4', 4, { status: 'error' }),
      spanLine('5', '5', 5, status(422)),
      inner('5', 5),
      spanLine('6', '6', 6, status(200)),
      inner('6', 6),
    ]);
    expect(found.map(({ outcome }) => outcome)).toEqual<Outcome[]>([
      'ok',
      'refused',
      'failed',
      'failed',
      'failed',
      'hidden',
    ]);
  });

  it('are found by what any of their records says', async () => {
    const store = new MemoryStore();
    store.take([spanLine('a', '1', 1), spanLine('b', '2', 2)].join('\n'), { format: 'json' });
    const views = store.views();
    const traces = new Set<string>();
    const rows = new Uint8Array(views[0]!.count);
    rows[1] = 1;
    await tracesOf(views[0]!, rows, WINDOW, traces);
    expect([...traces]).toEqual([traceOf('b')]);
    const entries = await Promise.all(views.map((view) => entriesOf(view)));
    expect(requestsIn(entries, WINDOW, traces)).toHaveLength(1);
  });

  it('stand as trees with what is told of them', async () => {
    const store = new MemoryStore();
    store.take(
      [
        spanLine('a', '1', 1, { vessel: 'catamaran' }),
        spanLine('a', '2', 1.001, { parent: spanOf('1'), service: 'gull', vessel: 'other', tiles: 3 }),
      ].join('\n'),
      { format: 'json' },
    );
    const views = store.views();
    const trees = await treesOf(views, WINDOW, new Set([traceOf('a')]));
    const tree = trees.get(traceOf('a'))!;
    expect(tree.nodes.map(({ span: { service } }) => service)).toEqual(['edge', 'gull']);
    const told = await toldOf(tree, new Map(views.map((view) => [view.key, view])));
    expect(Object.fromEntries(told.fields)).toEqual({ vessel: 'catamaran', tiles: '3' });
  });
});

describe('figures of requests', () => {
  it('count for those that were not kept, with how far that may be off', () => {
    // 100 kept of one in five: variance 100 · 5 · 4.
    const { count, within } = counted(new Array<number>(100).fill(5));
    expect(count).toBe(500);
    expect(within).toBeCloseTo(1.96 * Math.sqrt(2000));
    expect(counted([1, 1, 1])).toEqual({ count: 3, within: 0 });
  });

  it('have quantiles that weigh, as if each stood there as often', () => {
    const weighed = [request({ seconds: 1, weight: 3 }), request({ seconds: 9 })];
    expect(quantiles(weighed, [0.5, 0.75, 0.76, 1])).toEqual([1, 1, 9, 9]);
    expect(quantiles([], [0.5])).toEqual([NaN]);
  });

  it('call slow what takes five times the middle of its operation', () => {
    const all = [1, 1, 1, 1, 4.9, 5.1].map((seconds) => request({ seconds }));
    const limits = slowLimits(all);
    expect(all.map((one) => isSlow(one, limits))).toEqual([false, false, false, false, false, true]);
    expect(isSlow(request({ name: 'other', seconds: 99 }), limits)).toBe(false);
    const tally = tallyOf([...all, request({ outcome: 'failed', access: 'write', weight: 2 })], limits);
    expect([tally.kept, tally.all.count, tally.slow.count]).toEqual([7, 8, 1]);
    expect(tally.outcomes.failed.count).toBe(2);
    expect(tally.access).toEqual({
      read: { all: 6, failed: 0 },
      write: { all: 2, failed: 2 },
      unknown: { all: 0, failed: 0 },
    });
  });

  it('are listed a page at a time as if all were sorted', () => {
    const random = pseudoRandom(5);
    const all = Array.from({ length: 300 }, (_, at) =>
      request({ trace: `t${at}`, at: ARRIVAL + at, seconds: Math.floor(random() * 40) / 10 }),
    );
    const sorted = {
      oldest: all,
      newest: [...all].reverse(),
      slowest: [...all].sort((a, b) => b.seconds - a.seconds),
      fastest: [...all].sort((a, b) => a.seconds - b.seconds),
    };
    for (const order of ['oldest', 'newest', 'slowest', 'fastest'] as const)
      for (const [offset, limit] of [
        [0, 20],
        [37, 50],
        [290, 50],
        [400, 10],
      ] as const)
        expect(pageOf(all, order, offset, limit)).toEqual(sorted[order].slice(offset, offset + limit));
    expect(pageOf([], 'slowest', 0, 10)).toEqual([]);
  });

  it('stand in strips of time', () => {
    const strips = stripsOf(
      [
        request({ at: ARRIVAL + 1, seconds: 1 }),
        request({ at: ARRIVAL + 2, seconds: 3, outcome: 'failed' }),
        request({ at: ARRIVAL + 59_999_999, seconds: 2, weight: 4 }),
      ],
      WINDOW,
      3,
    );
    expect(strips).toEqual([
      { count: 2, failed: 1, quantiles: [1, 1, 3, 3, 3] },
      { count: 0, failed: 0 },
      { count: 4, failed: 0, quantiles: [2, 2, 2, 2, 2] },
    ]);
  });

  it('stand by operation, those that fail beyond the usual first', () => {
    const many = (count: number, more: Partial<Request>) =>
      Array.from({ length: count }, () => request(more));
    const rows = operationsOf(
      [...many(500, {}), ...many(60, { name: 'b' }), ...many(40, { name: 'b', outcome: 'failed' })],
      [...many(500, {}), ...many(99, { name: 'b' }), request({ name: 'b', outcome: 'failed' })],
    );
    expect(rows.map(({ name, failsOtherwise }) => [name, failsOtherwise])).toEqual([
      ['b', true],
      ['GET /nests', false],
    ]);
    expect(rows[0]!.excess).toBeCloseTo(39);
  });
});

describe('where failing begins', () => {
  const failing = (origin: 'lease' | 'plan') =>
    traceTree([
      span('1', '', 0, 100, { service: 'edge', failed: true, message: '503' }),
      span('2', '1', 10, 90, { service: 'planner', name: 'plan', failed: true, message: 'no lease' }),
      span('3', '2', 20, 80, {
        service: 'allocator',
        name: 'lease',
        failed: origin === 'lease',
        message: 'late',
      }),
    ])!;

  it('is the failed span below which nothing failed', () => {
    const origins = originsOf([failing('lease'), failing('lease'), failing('plan')]);
    expect(origins).toEqual([
      { service: 'allocator', name: 'lease', requests: 2, of: 3, passedOn: 2, message: 'late' },
      { service: 'planner', name: 'plan', requests: 1, of: 3, passedOn: 1, message: 'no lease' },
    ]);
    expect(originsOf([traceTree([span('1', '', 0, 9)])!])).toEqual([]);
  });
});

describe('what time is made of', () => {
  it('gives the variance to the component whose time follows the whole', () => {
    const trees = [10, 20, 30, 80].map((tiles) =>
      traceTree([
        span('1', '', 0, (tiles + 20) * 1e6, { service: 'planner', name: 'plan' }),
        span('2', '1', 5e6, (5 + tiles) * 1e6, {
          service: 'planner',
          name: 'select',
          kind: 'client',
          peer: 'ledger',
        }),
      ])!,
    );
    const parts = makeUp(trees);
    expect(parts.map(({ service, name }) => [service, name])).toEqual([
      ['ledger', 'select'],
      ['planner', 'plan'],
    ]);
    expect(parts[0]!.share).toBeCloseTo(1);
    expect(parts[1]!.share).toBeCloseTo(0);
    expect(parts[0]!.mean).toBeCloseTo(35);
    expect(parts[1]!.median).toBeCloseTo(20);
  });

  it('has parts that add up to one', () => {
    const trees = [1, 4, 9, 2, 7].map((x, at) =>
      traceTree([
        span('1', '', 0, x + 3 * at + 10),
        span('2', '1', 1, 1 + x, { name: 'a' }),
        span('3', '1', 1 + x, 1 + x + 3 * at, { name: 'b' }),
      ])!,
    );
    expect(makeUp(trees).reduce((sum, { share }) => sum + share, 0)).toBeCloseTo(1);
    expect(makeUp([])).toEqual([]);
  });
});

describe('the twin', () => {
  const told = (trace: string, at: number, fields: Record<string, string>): Told => ({
    trace,
    at,
    fields: new Map(Object.entries({ id: trace, ...fields })),
  });
  const subject = told('s', 100, { vessel: 'catamaran', port: 'tarn', kind: 'adult' });
  const healthy = [
    told('a', 10, { vessel: 'monohull', port: 'tarn', kind: 'adult' }),
    told('b', 90, { vessel: 'monohull', port: 'tarn', kind: 'adult' }),
    told('c', 99, { vessel: 'monohull', port: 'skerry', kind: 'child' }),
    told('d', 98, { vessel: 'monohull', port: 'skerry', kind: 'adult' }),
    told('e', 97, { vessel: 'monohull', port: 'brannay', kind: 'child' }),
  ];

  it('is the most like among the healthy, the nearest of equals', () => {
    expect(twinOf(subject, healthy)!.twin.trace).toBe('b');
    expect(twinOf(subject, [subject])).toBeUndefined();
  });

  it('differs in what few of the healthy have, and in calls and times', () => {
    const tree = (calls: number, time: number) =>
      traceTree([
        span('1', '', 0, 1e6, { service: 'planner', name: 'plan' }),
        ...Array.from({ length: calls }, (_, at) => span(`c${at}`, '1', at, at + 1, { name: 'tile' })),
        span('t', '1', 500_000, 500_000 + time, { name: 'tide' }),
      ])!;
    const differences = twinDifferences(
      { told: subject, tree: tree(200, 400_000) },
      { told: healthy[1]!, tree: tree(3, 100_000) },
      healthy,
    );
    expect(differences).toEqual([
      { kind: 'field', what: 'vessel', own: 'catamaran', twin: 'monohull', likeOwn: 0 },
      { kind: 'calls', what: 'gull tile', own: 200, twin: 3, likeOwn: 0.015 },
      { kind: 'time', what: 'gull tide', own: 0.4, twin: 0.1, likeOwn: 0.25 },
    ]);
  });
});

describe('requests beside runs', () => {
  const requests = Array.from({ length: 120 }, (_, minute) => ({
    from: minute * 60,
    to: minute * 60 + 1,
    // In the first four minutes of each hour.
    slow: minute % 60 < 4,
  }));
  const hourly = [0, 60].map((minute) => ({ job: 'settle', from: minute * 60, to: minute * 60 + 240 }));
  const always = [{ job: 'always', from: 0, to: 1e9 }];

  it('tell the job beside which they are slow', () => {
    const [first, ...others] = besideRuns(requests, [...hourly, ...always]);
    expect(others).toEqual([]);
    // The fifth minute begins as the run ends.
    expect(first).toMatchObject({ job: 'settle', slow: 8, ofSlow: 8, others: 2, ofOthers: 112 });
    // Fisher's test by hand: C(112,2) of the C(120,10) ways to have ten beside a run have all eight slow.
    expect(first!.p).toBeCloseTo(6216 / 116_068_178_638_776, 15);
  });

  it('tell none where there is nothing to it', () => {
    expect(besideRuns(requests, [{ job: 'other', from: 40 * 60, to: 44 * 60 }])).toEqual([]);
    expect(besideRuns([], hourly)).toEqual([]);
  });
});

describe('what requests a filter means', () => {
  const has: Record<string, string[]> = { a: ['1', '2'], b: ['2', '3'], c: [] };
  const meant = async (expression: string): Promise<string[]> => {
    const set = await requestsWithin(parseExpression(expression), (term) =>
      Promise.resolve(new Set(has['field' in term ? term.field : ''])),
    );
    return ['1', '2', '3', '4'].filter((trace) => isWithin(set, trace));
  };

  it.each([
    ['', ['1', '2', '3', '4']],
    ['a = 1', ['1', '2']],
    // Two comparisons may hold for different records of one request.
    ['a = 1 and b = 1', ['2']],
    ['a = 1 or b = 1', ['1', '2', '3']],
    ['not a = 1', ['3', '4']],
    ['a != 1', ['3', '4']],
    ['a is absent', ['3', '4']],
    ['a is present', ['1', '2']],
    ['not (a = 1 or b = 1)', ['4']],
    ['not a = 1 and not b = 1', ['4']],
    ['not a = 1 or b = 1', ['2', '3', '4']],
    ['a = 1 and not b = 1', ['1']],
    ['c = 1 or not a = 1', ['3', '4']],
  ])('%s', async (expression, traces) => {
    expect(await meant(expression)).toEqual(traces);
  });
});
