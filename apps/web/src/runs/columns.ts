import type { RunBody } from '@flail/contract';
import { byteCount, shortCount } from '../format/numbers.js';
import { dayTime, duration } from '../format/times.js';

/** A run as a row of the list, with the runs that it started. */
export interface RunRow {
  run: RunBody;
  stuck: boolean;
  /** Milliseconds, so far where it is under way. */
  took: number;
  children: RunRow[];
}

/** A column of the list of runs. */
export interface RunColumn {
  id: string;
  head: string;
  /** Whether it is filtered as a number. */
  numbers: boolean;
  /** What is sorted by. */
  value: (row: RunRow) => string | number | undefined;
  text: (row: RunRow) => string;
}

const CHOSEN = ['state', 'job', 'began', 'took', 'parameters', 'where', 'in', 'out'];
const PARAMETER = 'parameter:';

const stateText = ({ run, stuck }: RunRow): string => (stuck ? `stuck, ${run.state}` : run.state);
const parametersText = ({ run }: RunRow): string =>
  Object.entries(run.parameters)
    .map(([name, value]) => `${name} ${value}`)
    .join(', ');
const whereText = ({ run: { entity } }: RunRow): string => entity.instance ?? entity.service ?? '';
const errorText = ({ run: { error, steps } }: RunRow): string =>
  error?.message ?? steps.find((step) => step.error !== undefined)?.error ?? '';
const stepsDone = ({ run: { steps } }: RunRow): number =>
  steps.filter(({ state }) => state === 'done').length;

const worded = (id: string, head: string, text: (row: RunRow) => string): RunColumn => ({
  id,
  head,
  numbers: false,
  text,
  value: text,
});

const numbered = (
  id: string,
  head: string,
  value: (row: RunRow) => number | undefined,
  shown: (value: number) => string,
): RunColumn => ({
  id,
  head,
  numbers: true,
  value,
  text: (row) => {
    const own = value(row);
    return own === undefined ? '' : shown(own);
  },
});

const COLUMNS: readonly RunColumn[] = [
  worded('state', 'state', stateText),
  worded('job', 'job', ({ run }) => run.job),
  { ...worded('began', 'began', ({ run }) => dayTime(run.from)), value: ({ run }) => run.from },
  {
    ...worded('ended', 'ended', ({ run }) => (run.to === undefined ? '' : dayTime(run.to))),
    value: ({ run }) => run.to,
  },
  {
    ...numbered(
      'took',
      'took',
      ({ took }) => took / 1000,
      (seconds) => duration(seconds * 1000),
    ),
    text: ({ run, took }) => `${duration(took)}${run.to === undefined ? ' so far' : ''}`,
  },
  worded('parameters', 'parameters', parametersText),
  worded('where', 'where', whereText),
  numbered('in', 'records in', ({ run }) => run.usage.recordsIn, shortCount),
  numbered('out', 'records out', ({ run }) => run.usage.recordsOut, shortCount),
  numbered(
    'cpu',
    'CPU',
    ({ run }) => run.usage.cpuSeconds,
    (seconds) => duration(seconds * 1000),
  ),
  numbered('memory', 'memory', ({ run }) => run.usage.memoryBytes, byteCount),
  {
    ...numbered('steps', 'steps done', stepsDone, String),
    text: (row) => (row.run.steps.length === 0 ? '' : `${stepsDone(row)} of ${row.run.steps.length}`),
  },
  numbered('workers', 'workers', ({ run }) => run.workers.length || undefined, String),
  worded('trigger', 'started by', ({ run }) => run.trigger ?? ''),
  worded('error', 'error', errorText),
  worded('id', 'id', ({ run }) => run.id),
];

/** All columns that these runs can have: what every run has, and one for each parameter. */
export function columnsOf(runs: readonly RunBody[]): RunColumn[] {
  const parameters = [...new Set(runs.flatMap((run) => Object.keys(run.parameters)))].sort();
  return [
    ...COLUMNS,
    ...parameters.map((name) => worded(`${PARAMETER}${name}`, name, ({ run }) => run.parameters[name] ?? '')),
  ];
}

/** The columns that are named, in their order; those shown to begin with where none is. */
export function chosenOf(all: readonly RunColumn[], names: string): RunColumn[] {
  const wanted = names === '' ? CHOSEN : names.split(',');
  return wanted.flatMap((id) => all.find((column) => column.id === id) ?? []);
}

/** What stands in the address for columns; nothing where they are those shown to begin with. */
export const namesOf = (ids: readonly string[]): string =>
  ids.length === CHOSEN.length && ids.every((id, at) => id === CHOSEN[at]) ? '' : ids.join(',');

/** Runs as rows, those that others of them started beneath these. */
export function rowsOf(runs: readonly RunBody[], stuck: ReadonlySet<string>, until: number): RunRow[] {
  const rows = new Map(
    runs.map((run): [string, RunRow] => [
      run.id,
      {
        run,
        stuck: stuck.has(run.id),
        took: (run.to === undefined ? until : Date.parse(run.to)) - Date.parse(run.from),
        children: [],
      },
    ]),
  );
  const first: RunRow[] = [];
  for (const row of rows.values()) {
    const parent = row.run.parent && rows.get(row.run.parent.id);
    (parent && parent !== row ? parent.children : first).push(row);
  }
  return first;
}
