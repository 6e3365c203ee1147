import type { RunBody, RunsSearchAnswer, RunStateName, RunsTallyAnswer } from '@flail/contract';
import { TextInput } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { lazy, memo, Suspense, useMemo } from 'react';
import { type Span, useViewParameter, useViewState } from '../context/view-state.js';
import { fullCount, plural } from '../format/numbers.js';
import { dayTime } from '../format/times.js';
import { Choice } from '../frame/Choice.js';
import { useKeys } from '../frame/keys.js';
import { Failure, Message, Waiting } from '../states/States.js';
import { useShown } from '../states/useShown.js';
import { InvestigateLink } from '../cases/InvestigateLink.js';
import { ContrastLink } from '../contrast/ContrastLink.js';
import { type RunRow, rowsOf } from './columns.js';
import { useRuns, useRunsTally } from './queries.js';
import { RunsTable } from './RunsTable.js';
import { runsFinding } from './sentences.js';
import { useRunsSpan } from './span.js';
import { Tally } from './Tally.js';
import list from '../frame/list.module.css';
import classes from './runs.module.css';

const RunView = lazy(() => import('./RunView.js'));

const PRESETS: { value: string; label: string; states?: readonly RunStateName[] }[] = [
  { value: 'all', label: 'all' },
  { value: 'wrong', label: 'gone wrong', states: ['failed', 'done with errors'] },
  { value: 'going', label: 'under way', states: ['waiting', 'starting', 'running'] },
  { value: 'stuck', label: 'stuck' },
  { value: 'stopped', label: 'stopped', states: ['stopped'] },
];

/** Runs of jobs: the tally of each, a list, and one of them in full. */
export function RunsView() {
  const span = useRunsSpan();
  const [run, setRun] = useViewParameter('run', '');
  if (run !== '')
    return (
      <Suspense fallback={null}>
        <RunView run={run} onBack={() => setRun('')} onOpen={setRun} />
      </Suspense>
    );
  return span && <Runs span={span} onOpen={setRun} />;
}

interface Props {
  span: Span;
  onOpen: (run: string) => void;
}

function Runs({ span, onOpen }: Props) {
  const [{ dataset }] = useViewState();
  const client = useQueryClient();
  const tally = useRunsTally(dataset, span);
  const runs = useRuns(dataset, span);
  const shownTally = useShown(tally);
  const shownRuns = useShown(runs);
  const failure = tally.error ?? runs.error;
  if (failure)
    return <Failure error={failure} onRetry={() => void Promise.all([tally.refetch(), runs.refetch()])} />;
  if (!shownTally.answer || !shownRuns.answer)
    return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['runs'] })} />;
  if (shownTally.answer.jobs.length === 0)
    return (
      <Message title="No runs here">
        <p>
          No run touched the day up to {dayTime(span.to)}. Runs come as OpenLineage run events; see
          docs/sending-data.md.
        </p>
      </Message>
    );
  return (
    <Answered
      tally={shownTally.answer}
      runs={shownRuns.answer}
      stale={shownTally.stale}
      span={span}
      onOpen={onOpen}
    />
  );
}

interface AnsweredProps extends Props {
  tally: RunsTallyAnswer;
  runs: RunsSearchAnswer;
  /** Whether another answer is on its way. */
  stale: boolean;
}

const Answered = memo(function Answered({ tally, runs, stale, span, onOpen }: AnsweredProps) {
  const [{ focus }] = useViewState();
  const [job, setJob] = useViewParameter('job', '');
  const [value, setValue] = useViewParameter('value', '');
  const [preset, setPreset] = useViewParameter('which', 'all');
  const [find, setFind] = useViewParameter('find', '');
  const rows = useMemo(() => {
    const stuck = new Set(tally.stuck.map((one) => one.run));
    const states = PRESETS.find((one) => one.value === preset)?.states;
    const listed = runs.runs.filter(
      (run) =>
        (job === '' || run.job === job) &&
        (value === '' || Object.values(run.parameters).includes(value)) &&
        (!states || states.includes(run.state)) &&
        (preset !== 'stuck' || stuck.has(run.id)) &&
        (find === '' || textOf(run).includes(find.toLowerCase())),
    );
    return rowsOf(listed.reverse(), stuck, span.to);
  }, [runs, tally, job, value, preset, find, span.to]);
  useKeys({
    Escape: () => {
      setJob('');
      setValue('');
    },
  });
  const wider = focus !== undefined && focus.from > span.from;
  return (
    <section className={classes.view} aria-label="Runs" data-stale={stale}>
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {runsFinding(tally)}{' '}
          <span className="soft">
            {wider || !focus ? 'Over the day up to ' : 'Up to '}
            {dayTime(span.to)}.
          </span>
        </p>
        <span className={list.onward}>
          <ContrastLink
            cohorts={{ items: 'runs', ...(job !== '' && { job }) }}
            focus={span}
            words="what sets the failed ones apart"
          />
          {job !== '' && <InvestigateLink focus={span} job={job} />}
        </span>
      </div>
      <div className={classes.tallies}>
        <Tally
          tally={tally}
          span={span}
          job={job}
          onJob={(own, of) => {
            setJob(own);
            setValue(of);
          }}
          onRun={onOpen}
        />
      </div>
      <RunsTable rows={rows} onOpen={onOpen}>
        <Choice
          aria-label="Which runs"
          data={PRESETS.map(({ value: own, label }) => ({ value: own, label }))}
          value={preset}
          onChange={setPreset}
        />
        <TextInput
          size="xs"
          placeholder="find in runs"
          aria-label="Find in runs"
          value={find}
          onChange={(event) => setFind(event.currentTarget.value)}
        />
        <span className="soft">
          {plural(countOf(rows), 'run')}
          {job !== '' && ` of ${job}`}
          {value !== '' && `, ${value}`}
          {runs.total > runs.runs.length && `, of the newest ${fullCount(runs.runs.length)}`}
        </span>
        {(job !== '' || value !== '') && (
          <button
            type="button"
            className="word"
            onClick={() => {
              setJob('');
              setValue('');
            }}
          >
            all jobs
          </button>
        )}
      </RunsTable>
    </section>
  );
});

const countOf = (rows: readonly RunRow[]): number =>
  rows.reduce((sum, { children }) => sum + 1 + countOf(children), 0);

const textOf = ({ id, job, state, parameters, entity, error }: RunBody): string =>
  [id, job, state, ...Object.values(parameters), ...Object.values(entity), error?.message ?? '']
    .join(' ')
    .toLowerCase();
