import type { RequestAnswer, RequestsAnalysisAnswer, RequestsSearchAnswer, SpanBody } from '@flail/contract';
import { secondsText } from '../format/figures.js';
import {
  besideFinding,
  countText,
  makeUpFinding,
  originFinding,
  requestFinding,
  requestsFinding,
  spreadFinding,
  twinFinding,
} from './sentences.js';
import { spanRows } from './span-rows.js';

const span = (parent: number | undefined, more: Partial<SpanBody> = {}): SpanBody => ({
  id: 'x',
  ...(parent !== undefined && { parent }),
  depth: 0,
  service: 'gull',
  operation: 'fly',
  kind: 'server',
  from: 0,
  to: 1,
  own: 1,
  failed: false,
  fields: {},
  events: [],
  ...more,
});

describe('the rows of a tree', () => {
  const calls = Array.from({ length: 200 }, () => span(0, { operation: 'select', peer: 'db' }));
  const spans = [
    span(undefined),
    ...calls,
    span(0, { operation: 'plan' }),
    span(201, { operation: 'lease' }),
  ];

  it('count many calls alike as one', () => {
    const rows = spanRows(spans, new Set());
    expect(rows.map(({ span: at, of }) => [spans[at]!.operation, of.length])).toEqual([
      ['fly', 1],
      ['select', 200],
      ['plan', 1],
      ['lease', 1],
    ]);
    expect(rows[1]!.time).toBe(200);
  });

  it('show them one by one when opened, and those that failed or have something below always', () => {
    expect(spanRows(spans, new Set([1]))).toHaveLength(203);
    const failed = spans.map((one, at) => (at === 7 ? { ...one, failed: true } : one));
    expect(spanRows(failed, new Set()).map(({ of }) => of.length)).toEqual([1, 199, 1, 1, 1]);
    expect(spanRows([], new Set())).toEqual([]);
  });
});

describe('what is said of requests', () => {
  const counted = (count: number, within = 0) => ({ count, within });
  const tally = (all: number, failed: number, within = 0) => ({
    kept: all,
    all: counted(all, within),
    outcomes: { ok: counted(all - failed), refused: counted(0), failed: counted(failed), hidden: counted(0) },
    slow: counted(0),
    access: { read: { all: 0, failed: 0 }, write: { all: 0, failed: 0 }, unknown: { all: 0, failed: 0 } },
  });
  const answer = (
    focus: ReturnType<typeof tally>,
    baseline?: ReturnType<typeof tally>,
  ): RequestsSearchAnswer => ({
    requests: [],
    matched: 0,
    focus,
    ...(baseline && { baseline }),
    strips: { from: '', step: 60, focus: [] },
    operations: [],
    statuses: [],
  });

  it('says what failed, and where it is an estimate', () => {
    expect(requestsFinding(answer(tally(1000, 190), tally(1000, 1)))).toBe(
      '1,000 requests: 19% failed, against 0.1%; 0% were slow.',
    );
    expect(requestsFinding(answer(tally(1000, 0, 60)))).toBe(
      'About 1,000 (± 60) requests: none failed; 0% were slow.',
    );
    expect(requestsFinding(answer(tally(0, 0)))).toBe('No requests here.');
    expect(countText(counted(12.4, 0.2))).toBe('12');
  });

  it.each([
    [0.0442, '44.2 ms'],
    [2.048, '2.05 s'],
    [59, '59 s'],
    [90, '1.5 min'],
  ])('%d s is %s', (seconds, text) => expect(secondsText(seconds)).toBe(text));

  const origin = { service: 'lease', operation: 'grant', requests: 9, of: 9, passedOn: 9, message: 'late' };
  const analysis = (more: Partial<RequestsAnalysisAnswer>): RequestsAnalysisAnswer => ({
    looked: 9,
    of: 9,
    origins: [],
    makeUp: [],
    spread: [],
    ...more,
  });

  it('says where failing begins, no more certainly than the counts', () => {
    expect(originFinding(analysis({ origins: [origin] }))).toBe(
      'In all 9 failing requests the first to fail is lease, grant (“late”); what asked it only passes that on.',
    );
    expect(originFinding(analysis({ origins: [{ ...origin, requests: 5, passedOn: 0 }] }))).toBe(
      'In 5 of 9 failing requests the first to fail is lease, grant (“late”); nothing that asked it failed.',
    );
    expect(originFinding(analysis({}))).toBe('No request failed here.');
  });

  it('says whether all or a subset', () => {
    const members = ['a', 'b', 'c'].map((name) => ({ name, all: 10, failed: 0 }));
    const spread = { what: 'instance of gull', field: 'instance', members, subset: ['a'], carries: 1, p: 0 };
    expect(spreadFinding({ ...spread, verdict: 'a subset' })).toBe(
      'All failures come from 1 of 3 by instance of gull: a.',
    );
    expect(spreadFinding({ ...spread, verdict: 'all alike' })).toBe(
      'All alike by instance of gull: 3 carry their part.',
    );
    expect(spreadFinding({ ...spread, verdict: 'too few' })).toContain('Too few');
  });

  it('says what time is made of, and nothing where nothing stands out', () => {
    const part = (share: number) => ({
      service: 'db',
      operation: 'select',
      mean: 1,
      median: 1,
      spans: 3,
      share,
    });
    expect(makeUpFinding(analysis({ makeUp: [part(0.82)] }))).toBe(
      'Of the differences in their time 82% go with db select.',
    );
    expect(makeUpFinding(analysis({ makeUp: [part(0.05)] }))).toBe('No part of their time stands out.');
  });

  it('says of one request where it began and what is not accounted for', () => {
    const request: RequestAnswer = {
      trace: 't',
      time: '',
      duration: 1.03,
      outcome: 'failed',
      service: 'edge',
      operation: 'GET /a',
      spans: [
        span(undefined, { failed: true }),
        span(0, { failed: true, service: 'lease', operation: 'grant', message: 'late' }),
      ],
      more: 0,
      account: [
        {
          kind: 'unaccounted',
          who: 'lease',
          span: 1,
          from: 0,
          to: 0.9,
          where: 'in lease grant, before its first call',
        },
      ],
      problems: [],
      logs: [],
    };
    expect(requestFinding(request)).toBe(
      'GET /a took 1.03 s and failed. It began at lease, grant (“late”). 900 ms are not accounted for: in lease grant, before its first call.',
    );
    expect(requestFinding({ ...request, outcome: 'ok', spans: [span(undefined)], account: [] })).toBe(
      'GET /a took 1.03 s and went well.',
    );
  });

  it('says what tells a twin apart', () => {
    const twin = {
      twin: { trace: 'b', time: '', duration: 0.06, likeness: 0.9 },
      among: 67,
      beside: [{ job: 'settle', slow: 9, ofSlow: 10, others: 1, ofOthers: 50 }],
      differences: [
        { kind: 'field' as const, what: 'vessel', own: 'catamaran', twin: 'ro-ro', likeOwn: 0 },
        { kind: 'calls' as const, what: 'plan select db', own: 208, twin: 1, likeOwn: 0.005 },
      ],
    };
    expect(twinFinding(twin)).toBe(
      'The most like of 67 healthy requests took 60 ms; what tells them apart: vessel is catamaran, not ro-ro; 208 times plan select db, not 1.',
    );
    expect(besideFinding(twin)).toBe(
      'Of 10 slow requests of this operation 90% ran beside a run of settle; of the others 2.0%.',
    );
    expect(twinFinding({ among: 0, beside: [], differences: [] })).toContain('No healthy request');
  });
});
