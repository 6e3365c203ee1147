import type { Run } from './run.js';

/** What a stretch of a run's time went on. */
export interface RunPart {
  kind: 'waiting' | 'starting' | 'work' | 'overhead';
  /** Name of the step that worked; empty else. */
  step: string;
  /** Microseconds since 1970. */
  from: number;
  to: number;
}

/**
 * Where the time of a run went: waiting, starting, the work of its steps, and what lies between them. Where
 * steps run side by side, a stretch counts for the one that ends last. The parts add up to the length of the run.
 */
export function runAccount({ from, to, states, steps }: Run, now: number): RunPart[] {
  const end = to ?? now;
  const parts: RunPart[] = [];
  const add = (part: RunPart): void => {
    if (part.to > part.from) parts.push(part);
  };
  states.forEach(({ state, at }, index) => {
    const next = Math.min(end, states[index + 1]?.at ?? end);
    if (state === 'waiting' || state === 'starting') add({ kind: state, step: '', from: at, to: next });
    else if (state === 'running') for (const part of within(steps, at, next, end)) add(part);
  });
  const first = parts[0];
  return first && first.from > from
    ? [{ kind: 'overhead', step: '', from, to: first.from }, ...parts]
    : parts;
}

function within(steps: Run['steps'], from: number, to: number, end: number): RunPart[] {
  const ran = steps
    .flatMap((step) =>
      step.from === undefined ? [] : [{ name: step.name, from: step.from, to: step.to ?? end }],
    )
    .sort((a, b) => b.to - a.to);
  const parts: RunPart[] = [];
  // Backwards from the end, always with the step that ended last before.
  let at = to;
  for (const step of ran) {
    if (at <= from) break;
    const stepEnd = Math.min(step.to, at);
    const stepFrom = Math.max(step.from, from);
    if (stepEnd <= stepFrom) continue;
    if (stepEnd < at) parts.push({ kind: 'overhead', step: '', from: stepEnd, to: at });
    parts.push({ kind: 'work', step: step.name, from: stepFrom, to: stepEnd });
    at = stepFrom;
  }
  if (at > from) parts.push({ kind: 'overhead', step: '', from, to: at });
  return parts.reverse();
}
