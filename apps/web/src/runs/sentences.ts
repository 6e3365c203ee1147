import type { JobTallyBody, RunAnswer, RunsTallyAnswer } from '@flail/contract';
import { percent, plural } from '../format/numbers.js';
import { duration } from '../format/times.js';

/** How the runs of the window went, and which repeat their failing. */
export function runsFinding({ jobs, stuck }: RunsTallyAnswer): string {
  const runs = jobs.reduce((sum, job) => sum + job.runs, 0);
  if (runs === 0) return 'No runs here.';
  const failed = jobs.reduce((sum, job) => sum + job.failed, 0);
  const withErrors = jobs.reduce((sum, job) => sum + job.withErrors, 0);
  const parts = [
    failed === 0 ? 'none failed' : `${plural(failed, 'run')} failed`,
    ...(withErrors > 0 ? [`${withErrors.toLocaleString('en')} were done with errors`] : []),
    ...(stuck.length > 0 ? [stuckText(stuck[0]!, stuck.length)] : []),
  ];
  return `${plural(runs, 'run')} of ${plural(jobs.length, 'job')}: ${parts.join(', ')}.`;
}

const stuckText = ({ job, state, time, usual }: RunsTallyAnswer['stuck'][number], all: number): string =>
  `${all === 1 ? 'one is' : `${all} are`} stuck: ${job} has been ${state} for ${duration(time * 1000)}, ${duration(usual * 1000)} is usual`;

/** How a job fails: which values of the parameter that matters carry it, and how often those fail; and whether it hangs. */
export function jobFinding(job: JobTallyBody, stuck: number): string {
  const hanging = stuck === 0 ? '' : ` ${stuck === 1 ? 'One is' : `${stuck} are`} stuck.`;
  return `${failingOf(job, stuck)}${hanging}`;
}

function failingOf(
  { runs, failed, withErrors, parameter, spread, lines }: JobTallyBody,
  stuck: number,
): string {
  const wrong = failed + withErrors;
  if (wrong === 0) return `${plural(runs, 'run')}, ${stuck === 0 ? 'all went well' : 'none failed'}.`;
  const share = `${percent(wrong / runs)} of ${plural(runs, 'run')} went wrong`;
  if (spread.verdict !== 'a subset' || parameter === '') return `${share}.`;
  const own = lines.filter(({ value }) => spread.subset.includes(value));
  const all = own.reduce((sum, { strokes }) => sum + strokes.length, 0);
  const bad = own.reduce((sum, line) => sum + line.failed + line.withErrors, 0);
  const carried = spread.carries > 0.9995 ? 'all' : percent(spread.carries);
  return `${share}; ${carried} of them with ${spread.subset.length} of ${spread.members.length} by ${parameter}, ${spread.subset.join(' and ')}, where ${percent(bad / all)} do.`;
}

/** What became of one run. */
export function runFinding({
  job,
  state,
  from,
  to,
  error,
  stuck,
  steps,
  logs,
  parameters,
}: RunAnswer): string {
  const name = `${job}${Object.values(parameters).length > 0 ? ` (${Object.values(parameters).slice(0, 2).join(', ')})` : ''}`;
  if (stuck) {
    const last = logs.at(-1);
    return `${name} has been ${stuck.state} for ${duration(stuck.time * 1000)}, where ${duration(stuck.usual * 1000)} is usual.${last ? ` Its last line: “${last.text}”.` : ' It wrote no line.'}`;
  }
  if (to === undefined) return `${name} is ${state}.`;
  const took = duration(Date.parse(to) - Date.parse(from));
  const step = steps.find((one) => one.state === 'failed');
  const at = step ? ` at the step ${step.name}` : '';
  const why = error?.message ?? step?.error;
  return `${name} ${state === 'done' || state === 'done with errors' ? `was ${state}` : state === 'failed' ? 'failed' : `was ${state}`} after ${took}${at}${why === undefined ? '' : `: ${why}`}.`;
}
