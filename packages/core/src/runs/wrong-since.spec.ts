import { pseudoRandom } from '../testing/random.js';
import { runOf } from '../testing/runs.js';
import type { Run, RunState } from './run.js';
import { wrongByStep, wrongSince } from './wrong-since.js';

const QUARTER = 15 * 60 * 1_000_000;
const run = (at: number, state: RunState): Run =>
  runOf({ id: `r${at}`, state, from: at * QUARTER, to: at * QUARTER + 1000 });
const runsOf = (count: number, state: (at: number) => RunState): Run[] =>
  Array.from({ length: count }, (_, at) => run(at, state(at)));

describe('runs go wrong since', () => {
  it('the first that did after the share rose, in whatever order they are given', () => {
    const runs = runsOf(400, (at) =>
      at >= 250 && at % 5 === 3 ? (at % 2 === 0 ? 'failed' : 'done with errors') : 'done',
    );
    expect(wrongSince([...runs].reverse())).toEqual({
      at: 253 * QUARTER,
      before: { wrong: 0, all: 253 },
      since: { wrong: 30, all: 147 },
    });
  });

  it('a rise from a share that is usual, to within a few runs', () => {
    const random = pseudoRandom(4);
    const found = wrongSince(runsOf(600, (at) => (random() < (at < 400 ? 0.04 : 0.3) ? 'failed' : 'done')))!;
    expect(Math.abs(found.at / QUARTER - 400)).toBeLessThan(15);
    expect(found.since.wrong / found.since.all).toBeGreaterThan(0.2);
  });

  it('never, where the share stays, falls, or too few are known', () => {
    expect(wrongSince([])).toBeUndefined();
    expect(wrongSince(runsOf(300, (at) => (at % 7 === 0 ? 'failed' : 'done')))).toBeUndefined();
    expect(wrongSince(runsOf(300, (at) => (at < 100 ? 'failed' : 'done')))).toBeUndefined();
    expect(wrongSince(runsOf(12, (at) => (at > 5 ? 'failed' : 'done')))).toBeUndefined();
    // What goes on, or was stopped by somebody, did not go wrong.
    expect(
      wrongSince(runsOf(300, (at) => (at < 150 ? 'done' : at % 2 ? 'stopped' : 'running'))),
    ).toBeUndefined();
  });

  it('seldom by chance alone', () => {
    let found = 0;
    for (let round = 0; round < 1000; round++) {
      const random = pseudoRandom(9000 + round);
      if (wrongSince(runsOf(200, () => (random() < 0.1 ? 'failed' : 'done')))) found++;
    }
    // Chosen among all places, a p of 0.1% comes out at most ten times as often.
    expect(found).toBeLessThanOrEqual(10);
  });
});

describe('runs by step', () => {
  it('are counted where they ended; those that go on, or were stopped, are not', () => {
    const states: RunState[] = ['done', 'failed', 'done with errors', 'running', 'stopped', 'done'];
    const runs = runsOf(6, (at) => states[at]!);
    delete runs[3]!.to;
    expect(wrongByStep(runs, { from: 0, width: 2 * QUARTER, count: 3 })).toEqual([
      { wrong: 1, all: 2 },
      { wrong: 1, all: 1 },
      { wrong: 0, all: 1 },
    ]);
    expect(wrongByStep(runs, { from: QUARTER, width: QUARTER, count: 1 })).toEqual([{ wrong: 1, all: 1 }]);
  });
});
