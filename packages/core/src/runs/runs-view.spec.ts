import { runOf } from '../testing/runs.js';
import { runAccount } from './account.js';
import { lastGood, runDifferences } from './last-good.js';
import type { Run, RunState } from './run.js';
import { stuckRuns } from './stuck.js';
import { tallyOf, tellingParameter } from './tally.js';

const SECOND = 1_000_000;
const MINUTE = 60 * SECOND;

const run = (id: string, at: number, state: RunState, more: Partial<Run> = {}): Run =>
  runOf({
    id,
    job: 'export',
    state,
    states: [
      { state: 'waiting', at: at * MINUTE },
      { state: 'starting', at: at * MINUTE + SECOND },
      ...(state === 'starting' ? [] : [{ state: 'running' as const, at: at * MINUTE + 3 * SECOND }]),
      ...(state === 'starting' || state === 'running' ? [] : [{ state, at: at * MINUTE + 13 * SECOND }]),
    ],
    from: at * MINUTE,
    ...(state === 'starting' || state === 'running' ? {} : { to: at * MINUTE + 13 * SECOND }),
    ...more,
  });

describe('stuck runs', () => {
  const history = Array.from({ length: 6 }, (_, at) => run(`r${at}`, at * 10, 'done'));

  it('are those that stay in a state three times as long as others do', () => {
    const hanging = run('hanging', 60, 'starting');
    const now = 65 * MINUTE;
    expect(stuckRuns([...history, hanging], now)).toEqual([
      { run: 'hanging', state: 'starting', time: 5 * MINUTE - SECOND, usual: 2 * SECOND },
    ]);
    // A minute is waited for in any case, and of fewer than five nothing is usual.
    expect(stuckRuns([...history, hanging], 60 * MINUTE + 50 * SECOND)).toEqual([]);
    expect(stuckRuns([...history.slice(2), hanging], now)).toEqual([]);
    expect(stuckRuns([...history, { ...hanging, job: 'other' }], now)).toEqual([]);
  });
});

describe('the tally', () => {
  const ports = ['tarn', 'skerry', 'brannay'];
  const runs = Array.from({ length: 60 }, (_, at) => {
    const port = ports[at % 3]!;
    const wrong = port === 'brannay' && at % 2 === 0;
    return run(`r${at}`, at, wrong ? 'failed' : 'done', { parameters: { port, id: `n${at}`, version: '4' } });
  });

  it('is by the parameter that tells most of failing', () => {
    expect(tellingParameter(runs)).toBe('port');
    const [tally] = tallyOf(runs, 100 * MINUTE);
    expect(tally).toMatchObject({ job: 'export', parameter: 'port', runs: 60, failed: 10, withErrors: 0 });
    expect(tally!.lines.map(({ value, strokes, failed }) => [value, strokes.length, failed])).toEqual([
      ['brannay', 20, 10],
      ['skerry', 20, 0],
      ['tarn', 20, 0],
    ]);
    expect(tally!.lines[0]!.strokes[0]).toEqual({ run: 'r2', at: 2 * MINUTE, seconds: 13, state: 'failed' });
    expect(tally!.spread).toMatchObject({ verdict: 'a subset', carries: 1 });
    expect(tally!.spread.subset.map(({ name }) => name)).toEqual(['brannay']);
  });

  it('is one line where no parameter has a few values', () => {
    const plain = runs.map((one) => ({ ...one, parameters: { id: one.id } }));
    expect(tellingParameter(plain)).toBe('');
    expect(tallyOf(plain, 0)[0]!.lines).toHaveLength(1);
    expect(tallyOf([], 0)).toEqual([]);
  });

  it('puts jobs that fail most first', () => {
    const other = run('x', 1, 'done', { job: 'a good one' });
    expect(tallyOf([other, ...runs], 0).map(({ job }) => job)).toEqual(['export', 'a good one']);
  });
});

describe('the account of a run', () => {
  it('adds up: waiting, starting, the work of steps and what lies between', () => {
    const at = (second: number): number => second * SECOND;
    const steps = [
      { name: 'read', state: 'done' as const, after: [], from: at(3), to: at(6) },
      { name: 'sort', state: 'done' as const, after: ['read'], from: at(5), to: at(9) },
      { name: 'write', state: 'done' as const, after: ['sort'], from: at(10), to: at(12) },
    ];
    const parts = runAccount(run('r', 0, 'done', { steps }), 0);
    expect(parts.map(({ kind, step, from, to }) => [kind, step, from / SECOND, to / SECOND])).toEqual([
      ['waiting', '', 0, 1],
      ['starting', '', 1, 3],
      ['work', 'read', 3, 5],
      ['work', 'sort', 5, 9],
      ['overhead', '', 9, 10],
      ['work', 'write', 10, 12],
      ['overhead', '', 12, 13],
    ]);
    expect(parts.reduce((sum, { from, to }) => sum + to - from, 0)).toBe(at(13));
  });

  it('goes up to now for one that has not ended', () => {
    const parts = runAccount(run('r', 0, 'starting'), 60 * SECOND);
    expect(parts.at(-1)).toEqual({ kind: 'starting', step: '', from: SECOND, to: 60 * SECOND });
  });
});

describe('the last good run', () => {
  const step = (state: RunState, seconds: number) => [
    { name: 'encode', state, after: [], from: 0, to: seconds * SECOND },
  ];
  const bad = run('bad', 9, 'failed', {
    parameters: { port: 'brannay', version: '4.2' },
    steps: step('failed', 1),
    usage: { recordsIn: 100, recordsOut: 10 },
    entity: { instance: 'w-2' },
  });
  const runs = [
    run('other port', 8, 'done', { parameters: { port: 'tarn', version: '4.2' } }),
    run('same port', 3, 'done', {
      parameters: { port: 'brannay', version: '4.1' },
      steps: step('done', 4),
      usage: { recordsIn: 98, recordsOut: 98 },
      entity: { instance: 'w-1' },
    }),
    run('with errors', 7, 'done with errors', { parameters: bad.parameters }),
    run('later', 10, 'done', { parameters: bad.parameters }),
    bad,
  ];

  it('was done, before it, with as many of its parameters as any, the newest of equals', () => {
    expect(lastGood(bad, runs)!.id).toBe('other port');
    expect(lastGood(bad, runs.slice(1))!.id).toBe('same port');
    expect(lastGood(bad, [bad])).toBeUndefined();
  });

  it('differs in parameters, steps, times, figures and place', () => {
    expect(runDifferences(bad, runs[1]!, 0)).toEqual([
      { kind: 'parameter', what: 'version', own: '4.2', good: '4.1' },
      { kind: 'step', what: 'encode', own: 'failed', good: 'done' },
      { kind: 'time', what: 'encode', own: '1 s', good: '4 s' },
      { kind: 'usage', what: 'records out', own: '10', good: '98' },
      { kind: 'place', what: 'instance', own: 'w-2', good: 'w-1' },
    ]);
  });
});
