import type { JobTallyBody, RunAnswer } from '@flail/contract';
import { runBody } from '../testing/runs.js';
import { jobFinding, runFinding, runsFinding } from './sentences.js';

const line = (value: string, runs: number, failed: number) => ({
  value,
  failed,
  withErrors: 0,
  strokes: Array.from({ length: runs }, (_, at) => ({
    run: `${value}${at}`,
    time: '',
    seconds: 1,
    state: 'done' as const,
  })),
});
const job = (more: Partial<JobTallyBody> = {}): JobTallyBody => ({
  job: 'export',
  parameter: 'port',
  lines: [line('brannay', 10, 6), line('tarn', 10, 0)],
  runs: 20,
  failed: 6,
  withErrors: 0,
  spread: {
    verdict: 'a subset',
    subset: ['brannay'],
    members: [
      { name: 'brannay', all: 10, failed: 6 },
      { name: 'tarn', all: 10, failed: 0 },
    ],
    carries: 1,
    p: 0,
  },
  ...more,
});
const run = (more: Partial<RunAnswer>): RunAnswer => ({
  ...runBody({
    state: 'failed',
    to: '2026-03-02T18:00:19Z',
    parameters: { port: 'brannay' },
    steps: [{ name: 'encode', state: 'failed', after: [], error: 'no glyph' }],
  }),
  account: [],
  differences: [],
  children: [],
  logs: [],
  matched: 0,
  actions: [],
  ...more,
});

describe('what is said of runs', () => {
  it('tells which value of the parameter carries the failures', () => {
    expect(jobFinding(job(), 0)).toBe(
      '30% of 20 runs went wrong; all of them with 1 of 2 by port, brannay, where 60% do.',
    );
    expect(jobFinding(job({ failed: 0 }), 0)).toBe('20 runs, all went well.');
    expect(jobFinding(job({ failed: 0 }), 1)).toBe('20 runs, none failed. One is stuck.');
    expect(jobFinding(job({ spread: { ...job().spread, verdict: 'all alike', subset: [] } }), 0)).toBe(
      '30% of 20 runs went wrong.',
    );
  });

  it('counts what failed and names what is stuck', () => {
    const stuck = { run: 'x', job: 'tide', state: 'starting', time: 4200, usual: 0.9 };
    expect(runsFinding({ jobs: [job()], stuck: [stuck], actions: [] })).toBe(
      '20 runs of 1 job: 6 runs failed, one is stuck: tide has been starting for 1 h 10 min, 0.9 s is usual.',
    );
    expect(runsFinding({ jobs: [], stuck: [], actions: [] })).toBe('No runs here.');
  });

  it('says where one failed and why, or what a stuck one wrote last', () => {
    expect(runFinding(run({}))).toBe('export (brannay) failed after 19 s at the step encode: no glyph.');
    expect(runFinding(run({ state: 'done', steps: [] }))).toBe('export (brannay) was done after 19 s.');
    const stuck = { run: 'r', job: 'export', state: 'starting', time: 600, usual: 1 };
    expect(runFinding(run({ stuck, state: 'starting' }))).toBe(
      'export (brannay) has been starting for 10 min, where 1 s is usual. It wrote no line.',
    );
  });
});
