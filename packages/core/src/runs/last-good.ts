import type { Run } from './run.js';

/** One thing that tells a run from the last good one. */
export interface RunDifference {
  kind: 'parameter' | 'step' | 'time' | 'usage' | 'place';
  what: string;
  own: string;
  good: string;
}

/** The last run of the same job before one that was done without errors, with as many of its parameters as any. */
export function lastGood(run: Run, runs: readonly Run[]): Run | undefined {
  const alike = ({ parameters }: Run): number =>
    Object.entries(run.parameters).filter(([name, value]) => parameters[name] === value).length;
  let best: Run | undefined;
  for (const one of runs) {
    if (one.job !== run.job || one.state !== 'done' || one.id === run.id || one.from > run.from) continue;
    if (!best || alike(one) > alike(best) || (alike(one) === alike(best) && one.from > best.from)) best = one;
  }
  return best;
}

/** Figures are different when one is this many times the other. */
const TIMES = 1.5;

/** What tells a run from a good one: parameters, steps, figures, and where it ran. */
export function runDifferences(run: Run, good: Run, now: number): RunDifference[] {
  const found: RunDifference[] = [];
  const tell = (kind: RunDifference['kind'], what: string, own = '', other = ''): void => {
    if (own !== other) found.push({ kind, what, own, good: other });
  };
  for (const name of new Set([...Object.keys(run.parameters), ...Object.keys(good.parameters)]))
    tell('parameter', name, run.parameters[name], good.parameters[name]);
  const steps = new Map(run.steps.map((step) => [step.name, step]));
  for (const step of good.steps)
    tell('step', step.name, steps.get(step.name)?.state ?? 'did not begin', step.state);
  for (const { name, state } of run.steps)
    if (!good.steps.some((step) => step.name === name)) tell('step', name, state, 'not there');
  const figure = (kind: 'time' | 'usage', what: string, own?: number, other?: number, unit = ''): void => {
    if (own === undefined || other === undefined) return;
    const ratio = Math.max(own, other) / Math.max(Math.min(own, other), Number.MIN_VALUE);
    if (ratio >= TIMES)
      tell(kind, what, `${Number(own.toPrecision(3))}${unit}`, `${Number(other.toPrecision(3))}${unit}`);
  };
  const seconds = ({ from, to }: { from?: number; to?: number }): number | undefined =>
    from === undefined ? undefined : ((to ?? now) - from) / 1e6;
  figure('time', 'the whole', seconds(run), seconds(good), ' s');
  for (const step of good.steps) {
    const own = steps.get(step.name);
    if (own) figure('time', step.name, seconds(own), seconds(step), ' s');
  }
  const { usage } = run;
  figure('usage', 'records in', usage.recordsIn, good.usage.recordsIn);
  figure('usage', 'records out', usage.recordsOut, good.usage.recordsOut);
  figure('usage', 'CPU', usage.cpuSeconds, good.usage.cpuSeconds, ' s');
  figure('usage', 'memory', usage.memoryBytes, good.usage.memoryBytes, ' B');
  for (const name of new Set([...Object.keys(run.entity), ...Object.keys(good.entity)]))
    tell('place', name, run.entity[name], good.entity[name]);
  return found;
}
