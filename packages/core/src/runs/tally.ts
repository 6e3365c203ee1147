import { type Member, type Spread, spreadOf } from '../impact/spread.js';
import type { Run, RunState } from './run.js';

/** One run in a line of a tally. */
export interface Stroke {
  run: string;
  /** Microseconds since 1970. */
  at: number;
  /** Seconds; so far, where it goes on. */
  seconds: number;
  state: RunState;
}

/** The runs of a job with one value of the parameter that matters, in the order of time. */
export interface TallyLine {
  job: string;
  /** Value of the parameter; empty where none matters. */
  value: string;
  strokes: Stroke[];
  failed: number;
  withErrors: number;
}

/** The runs of a job, by the parameter in which failing ones differ most from others. */
export interface JobTally {
  job: string;
  /** The parameter that matters; empty where the job has none of a few values. */
  parameter: string;
  lines: TallyLine[];
  runs: number;
  failed: number;
  withErrors: number;
  /** How failing spreads over the values of the parameter. */
  spread: Spread & { members: Member[] };
}

/** A parameter of more values names single runs. */
const MOST_VALUES = 40;

export const wentWrong = (state: RunState): boolean => state === 'failed' || state === 'done with errors';

/** Jobs with the tally of their runs, those that fail most first. */
export function tallyOf(runs: readonly Run[], now: number): JobTally[] {
  const byJob = new Map<string, Run[]>();
  for (const run of runs) {
    const own = byJob.get(run.job);
    if (own) own.push(run);
    else byJob.set(run.job, [run]);
  }
  return [...byJob]
    .map(([job, own]) => jobTally(job, own, now))
    .sort(
      (a, b) =>
        (b.failed + b.withErrors) / b.runs - (a.failed + a.withErrors) / a.runs || (a.job < b.job ? -1 : 1),
    );
}

function jobTally(job: string, runs: readonly Run[], now: number): JobTally {
  const parameter = tellingParameter(runs);
  const lines = new Map<string, TallyLine>();
  for (const run of [...runs].sort((a, b) => a.from - b.from)) {
    const value = parameter === '' ? '' : (run.parameters[parameter] ?? '');
    let line = lines.get(value);
    if (!line) lines.set(value, (line = { job, value, strokes: [], failed: 0, withErrors: 0 }));
    line.strokes.push({
      run: run.id,
      at: run.from,
      seconds: ((run.to ?? now) - run.from) / 1e6,
      state: run.state,
    });
    if (run.state === 'failed') line.failed++;
    if (run.state === 'done with errors') line.withErrors++;
  }
  const all = [...lines.values()].sort((a, b) => a.value.localeCompare(b.value, 'en', { numeric: true }));
  const members = all.map(({ value, strokes, failed, withErrors }) => ({
    name: value,
    all: strokes.length,
    failed: failed + withErrors,
  }));
  const sum = (of: (line: TallyLine) => number): number => all.reduce((total, line) => total + of(line), 0);
  return {
    job,
    parameter,
    lines: all,
    runs: runs.length,
    failed: sum(({ failed }) => failed),
    withErrors: sum(({ withErrors }) => withErrors),
    spread: { ...spreadOf(members), members },
  };
}

/**
 * The parameter of a job that tells most of whether its runs go wrong (information gain, Quinlan 1986, per bit
 * of its own entropy, so that a parameter of many values is not preferred for that); where nothing goes wrong,
 * or nothing tells, the one with most values of those with a few.
 */
export function tellingParameter(runs: readonly Run[]): string {
  const names = [...new Set(runs.flatMap(({ parameters }) => Object.keys(parameters)))].sort();
  let best = { name: '', gain: -1, values: 0 };
  for (const name of names) {
    const counts = new Map<string, [all: number, wrong: number]>();
    for (const { parameters, state } of runs) {
      const value = parameters[name] ?? '';
      const own = counts.get(value) ?? [0, 0];
      own[0]++;
      if (wentWrong(state)) own[1]++;
      counts.set(value, own);
    }
    if (counts.size < 2 || counts.size > Math.min(MOST_VALUES, runs.length / 2)) continue;
    const wrong = [...counts.values()].reduce((sum, [, own]) => sum + own, 0);
    let gain = bits(wrong / runs.length);
    let own = 0;
    for (const [all, failed] of counts.values()) {
      const share = all / runs.length;
      gain -= share * bits(failed / all);
      own -= share * Math.log2(share);
    }
    const ratio = Math.round((gain / own) * 1e6) / 1e6;
    if (ratio > best.gain || (ratio === best.gain && counts.size > best.values))
      best = { name, gain: ratio, values: counts.size };
  }
  return best.name;
}

/** Entropy of something that is so with a probability. */
const bits = (p: number): number => (p <= 0 || p >= 1 ? 0 : -p * Math.log2(p) - (1 - p) * Math.log2(1 - p));
