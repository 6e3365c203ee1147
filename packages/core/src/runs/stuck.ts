import { median } from '../statistics/median.js';
import { isFinal, type Run, type RunState } from './run.js';

/** A run that stays in a state for longer than is usual for its job. */
export interface Stuck {
  run: string;
  state: RunState;
  /** Microseconds that it has been in the state, and that runs of the job usually are. */
  time: number;
  usual: number;
}

/** A run is stuck after so many times as long as runs of its job usually stay in that state… */
const TIMES = 3;
/** …and no sooner than this, microseconds. */
const SOONEST = 60_000_000;
/** Of fewer runs nothing is called usual. */
const ENOUGH = 5;

/** The runs that are stuck at a moment: longer in a state than three times the median of their job's own history. */
export function stuckRuns(runs: readonly Run[], now: number): Stuck[] {
  const history = new Map<string, number[]>();
  for (const { job, states } of runs)
    states.forEach(({ state, at }, index) => {
      const next = states[index + 1];
      if (!next || isFinal(state)) return;
      const key = `${job}\n${state}`;
      const own = history.get(key);
      if (own) own.push(next.at - at);
      else history.set(key, [next.at - at]);
    });
  const stuck: Stuck[] = [];
  for (const { id, job, state, states } of runs) {
    const last = states.at(-1);
    if (!last || isFinal(state)) continue;
    const past = history.get(`${job}\n${state}`) ?? [];
    if (past.length < ENOUGH) continue;
    const usual = median(past);
    const time = now - last.at;
    if (time > Math.max(TIMES * usual, SOONEST)) stuck.push({ run: id, state, time, usual });
  }
  return stuck.sort((a, b) => b.time / Math.max(1, b.usual) - a.time / Math.max(1, a.usual));
}
