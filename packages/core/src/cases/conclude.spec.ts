import { conclude } from './conclude.js';
import { type Finding, type FindingKind, findingText } from './findings.js';

const impact: Finding = {
  kind: 'impact',
  wrong: 'failed',
  count: 230,
  all: 10_000,
  usual: 0.001,
  since: '2026-03-02T18:03:00Z',
};
const onset: Finding = {
  kind: 'onset',
  service: 'store',
  measure: 'operations',
  of: 'load',
  time: '2026-03-02T18:02:00Z',
  size: '10 times',
  role: 'likely origin',
  place: 1,
  change: 'c1',
};
const change: Finding = {
  kind: 'change',
  id: 'c1',
  title: 'lease 30s → 3s',
  service: 'nest',
  time: '2026-03-02T18:01:30Z',
  seconds: 30,
  before: 'store, operations moved',
};
const pattern: Finding = {
  kind: 'pattern',
  pattern: 'k1',
  text: 'egg … lost',
  service: 'nest',
  count: 40,
  change: 'first seen',
  firstSeen: '2026-03-02T18:02:10Z',
};
const begins: Finding = { kind: 'begins', service: 'nest', operation: 'lay', share: 0.97 };
const signature: Finding = {
  kind: 'signature',
  text: 'with the line “not laid”',
  terms: [{ kind: 'pattern', name: 'not laid', service: 'nest', values: [] }],
  coverage: 0.98,
  purity: 0.99,
  verdict: 'tells them apart',
  check: 'confirmed',
};
const E1: Finding[] = [impact, begins, pattern, onset, change, signature];

describe('a conclusion', () => {
  it('names the change that everything points to, with what speaks for it', () => {
    const { causes, next } = conclude(E1);
    expect(causes[0]).toMatchObject({ kind: 'change', certainty: 'likely', change: 'c1' });
    expect(causes[0]!.evidence.filter((one) => one.for)).toHaveLength(5);
    expect(next[0]).toMatch(/Take the change back/);
  });

  // Each kind of evidence that speaks for it is taken away in turn.
  it.each(['begins', 'pattern', 'onset', 'change', 'signature'] as FindingKind[])(
    'is weaker without any %s',
    (kind) => {
      const whole = conclude(E1).causes[0]!;
      const without = conclude(E1.filter((finding) => finding.kind !== kind));
      const same = without.causes.find(({ text }) => text === whole.text);
      expect(same?.score ?? 0).toBeLessThan(whole.score);
      if (kind === 'change') expect(same).toBeUndefined();
      if (kind === 'onset') expect(without.causes[0]!.certainty).not.toBe(undefined);
    },
  );

  it('is no more than a guess of a change that moved nothing', () => {
    const { causes, doubt } = conclude([impact, { ...change, id: 'c2' }, onset]);
    expect(causes.find(({ kind }) => kind === 'change')?.certainty).toBe('a guess');
    expect(doubt).toContain('No cause is supported by findings of several kinds.');
  });

  it('names a line that was new and names what the failing have in common; not without that', () => {
    const early: Finding = {
      kind: 'early',
      pattern: 'k2',
      text: 'calibration applied',
      service: 'tide',
      time: '2026-03-02T17:50:00Z',
      shared: ['quay/1'],
    };
    const berths: Finding = {
      ...signature,
      terms: [{ kind: 'field', name: 'berth', values: ['quay/1'] }],
    };
    const found = conclude([impact, early, berths]).causes[0]!;
    expect(found).toMatchObject({ kind: 'line', certainty: 'likely' });
    const without = conclude([impact, { ...early, shared: [] }, berths]);
    expect(without.causes.some(({ kind }) => kind === 'line')).toBe(false);
    const alone = conclude([impact, early]).causes[0]!;
    expect(alone.score).toBeLessThan(found.score);
  });

  it.each([
    [{ kind: 'run', name: 'settle', values: [] }, 'job'],
    [{ kind: 'field', name: 'instance', service: 'nest', values: ['nest-4'] }, 'instance'],
    [{ kind: 'calls', name: 'select tile', values: [] }, 'work'],
  ])('is fitted to what the signature says: %j', (term, kind) => {
    const { causes } = conclude([impact, { ...signature, terms: [term] }]);
    expect(causes[0]!.kind).toBe(kind);
    expect(conclude([impact]).causes).toEqual([]);
  });

  it('of an instance is surer where the spread says so too', () => {
    const spread: Finding = {
      kind: 'spread',
      service: 'nest',
      field: 'instance',
      subset: ['nest-4'],
      of: 6,
      carries: 1,
    };
    const own: Finding = {
      ...onset,
      service: 'nest',
      measure: 'clock',
    };
    const sure = conclude([impact, spread, own]).causes[0]!;
    expect(sure).toMatchObject({ kind: 'instance', text: 'Something of nest-4 alone' });
    expect(conclude([impact, spread]).causes[0]!.score).toBeLessThan(sure.score);
    expect(conclude([impact, own]).causes.some(({ kind }) => kind === 'instance')).toBe(false);
  });

  const RUNS: Finding[] = [
    {
      kind: 'runs',
      job: 'hatch',
      failed: 40,
      withErrors: 10,
      all: 500,
      since: '2026-03-01T09:15:00Z',
      usual: { wrong: 0, all: 400 },
    },
    { kind: 'spread', field: 'cliff', subset: ['north', 'west'], of: 6, carries: 1 },
    {
      kind: 'broke',
      step: 'turn',
      error: 'no such egg',
      frame: 'at Nest.turn(Nest.java:8)',
      count: 40,
      of: 40,
    },
    {
      kind: 'change',
      id: 'c9',
      title: 'hatch: version 2.0 → 2.1',
      service: 'incubator',
      time: '2026-03-01T09:00:00Z',
      seconds: 900,
      before: 'the first run of hatch went wrong',
    },
    {
      ...signature,
      text: 'cliff north or west and version 2.1',
      terms: [
        { kind: 'field', name: 'cliff', values: ['north', 'west'] },
        { kind: 'field', name: 'version', values: ['2.1'] },
      ],
      purity: 0.5,
    },
  ];

  it('of runs names where the program breaks, with what, and the change that brought it', () => {
    const [first, second] = conclude(RUNS).causes;
    expect(first).toMatchObject({
      kind: 'code',
      text: 'What Nest.turn(Nest.java:8) does with cliff north or west and version 2.1',
      certainty: 'likely',
      change: 'c9',
    });
    expect(second).toMatchObject({ kind: 'change', certainty: 'likely', change: 'c9' });
  });

  it.each(['runs', 'broke', 'spread', 'signature', 'change'] as FindingKind[])(
    'of runs is weaker without any %s',
    (kind) => {
      const [whole] = conclude(RUNS).causes;
      const without = conclude(RUNS.filter((finding) => finding.kind !== kind)).causes;
      const same = without.find((cause) => cause.kind === 'code');
      expect(same?.score ?? 0).toBeLessThan(whole!.score);
      if (kind === 'runs') expect(same).toBeUndefined();
    },
  );

  it('of a change is no more than possible where what it was changed to does not tell the runs apart', () => {
    const others = RUNS.map((finding) =>
      finding.kind === 'change' ? { ...finding, title: 'color red → blue' } : finding,
    );
    const found = conclude(others).causes.find(({ kind }) => kind === 'change')!;
    expect(found.certainty).toBe('possible');
  });

  it('says that nothing points to a cause where nothing does', () => {
    const nothing: Finding = {
      kind: 'nothing',
      question: 'What moved first?',
      why: 'Nothing left its normal range.',
    };
    expect(conclude([nothing])).toMatchObject({
      causes: [],
      doubt: [
        'What moved first? Nothing left its normal range.',
        'Nothing that was found points to a cause.',
      ],
    });
  });
});

describe('findings in sentences', () => {
  it.each([
    [impact, '2.3% of the requests failed (230 of 10000, 0.1% is usual), the first of them at 18:03 UTC.'],
    [begins, 'In 97% of the failing requests nest failed first, in “lay”.'],
    [change, 'lease 30s → 3s on 2 Mar at 18:01 UTC, 1 min before store, operations moved.'],
    [onset, 'operations of store left its normal range at 18:02 UTC (10 times); it may be where it began.'],
    [
      {
        kind: 'runs',
        job: 'hatch',
        failed: 4,
        withErrors: 0,
        all: 50,
        since: '2026-03-01T09:15:00Z',
        usual: { wrong: 1, all: 400 },
      },
      '8.0% of the runs of hatch went wrong (4 failed, of 50), the first of them on 1 Mar at 09:15 UTC; before, 1 of 400 did.',
    ],
    [
      { kind: 'broke', step: 'turn', error: 'no egg', frame: 'at Nest.turn', count: 3, of: 4 },
      '3 of 4 runs that failed broke off at the step turn, at Nest.turn: “no egg”.',
    ],
  ] as [Finding, string][])('%#', (finding, text) => expect(findingText(finding)).toBe(text));
});
