import type { RunBody, RunStateName } from '@flail/contract';
import { SegmentedControl, TextInput } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { type Span, useViewParameter, useViewState } from '../context/view-state.js';
import { fullCount, plural, shortCount } from '../format/numbers.js';
import { dayTime, duration } from '../format/times.js';
import { useKeys, useRowKeys } from '../frame/keys.js';
import { Failure, Message, Waiting } from '../states/States.js';
import { InvestigateLink } from '../cases/InvestigateLink.js';
import { ContrastLink } from '../contrast/ContrastLink.js';
import { useRuns, useRunsTally } from './queries.js';
import { runsFinding } from './sentences.js';
import { useRunsSpan } from './span.js';
import { Tally } from './Tally.js';
import list from '../frame/list.module.css';
import classes from './runs.module.css';

const RunView = lazy(() => import('./RunView.js'));

/** Rows of the list that are shown at first, and with each `more`. */
const PAGE = 100;
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

function Runs({ span, onOpen }: { span: Span; onOpen: (run: string) => void }) {
  const [{ dataset, focus }] = useViewState();
  const client = useQueryClient();
  const [job, setJob] = useViewParameter('job', '');
  const [value, setValue] = useViewParameter('value', '');
  const [preset, setPreset] = useViewParameter('which', 'all');
  const [find, setFind] = useViewParameter('find', '');
  const [selected, setSelected] = useState(-1);
  const [shown, setShown] = useState(PAGE);
  const tally = useRunsTally(dataset, span);
  const runs = useRuns(dataset, span);
  const stuck = new Set(tally.data?.stuck.map((one) => one.run));
  const states = PRESETS.find((one) => one.value === preset)?.states;
  const rows = (runs.data?.runs ?? [])
    .filter(
      (run) =>
        (job === '' || run.job === job) &&
        (value === '' || Object.values(run.parameters).includes(value)) &&
        (!states || states.includes(run.state)) &&
        (preset !== 'stuck' || stuck.has(run.id)) &&
        (find === '' || textOf(run).includes(find.toLowerCase())),
    )
    .reverse();
  useRowKeys(Math.min(rows.length, shown), selected, setSelected, {
    Enter: (index) => onOpen(rows[index]!.id),
  });
  useKeys({
    Escape: () => {
      setJob('');
      setValue('');
    },
  });
  const failure = tally.error ?? runs.error;
  if (failure)
    return <Failure error={failure} onRetry={() => void Promise.all([tally.refetch(), runs.refetch()])} />;
  if (!tally.data || !runs.data)
    return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['runs'] })} />;
  if (tally.data.jobs.length === 0)
    return (
      <Message title="No runs here">
        <p>
          No run touched the day up to {dayTime(span.to)}. Runs come as OpenLineage run events; see
          docs/sending-data.md.
        </p>
      </Message>
    );
  const wider = focus !== undefined && focus.from > span.from;
  return (
    <section className={classes.view} aria-label="Runs" data-stale={tally.isPlaceholderData}>
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {runsFinding(tally.data)}{' '}
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
          tally={tally.data}
          span={span}
          job={job}
          onJob={(own, of) => {
            setJob(own);
            setValue(of);
          }}
          onRun={onOpen}
        />
      </div>
      <div className={classes.tools}>
        <SegmentedControl
          size="xs"
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
          {plural(rows.length, 'run')}
          {job !== '' && ` of ${job}`}
          {value !== '' && `, ${value}`}
          {runs.data.total > runs.data.runs.length && `, of the newest ${fullCount(runs.data.runs.length)}`}
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
      </div>
      <div className={list.scroller}>
        <table className={classes.table}>
          <thead>
            <tr>
              <th>state</th>
              <th>job</th>
              <th>began</th>
              <th>took</th>
              <th>parameters</th>
              <th>where</th>
              <th>records in, out</th>
            </tr>
          </thead>
          <tbody>
            {rows.slice(0, shown).map((run, index) => (
              <Row
                key={run.id}
                run={run}
                until={span.to}
                stuck={stuck.has(run.id)}
                selected={index === selected}
                onOpen={() => onOpen(run.id)}
              />
            ))}
          </tbody>
        </table>
        {rows.length > shown && (
          <p className={classes.more}>
            The newest {fullCount(shown)} of {fullCount(rows.length)}.{' '}
            <button type="button" className="word" onClick={() => setShown(shown + PAGE)}>
              more
            </button>
          </p>
        )}
      </div>
    </section>
  );
}

const textOf = ({ id, job, state, parameters, entity, error }: RunBody): string =>
  [id, job, state, ...Object.values(parameters), ...Object.values(entity), error?.message ?? '']
    .join(' ')
    .toLowerCase();

interface RowProps {
  run: RunBody;
  until: number;
  stuck: boolean;
  selected: boolean;
  onOpen: () => void;
}

function Row({ run, until, stuck, selected, onOpen }: RowProps) {
  const { job, state, from, to, parameters, entity, usage, parent } = run;
  const took = (to === undefined ? until : Date.parse(to)) - Date.parse(from);
  return (
    <tr data-selected={selected} data-testid="run">
      <td>
        <span className={classes.state} data-state={stuck ? 'stuck' : state}>
          {stuck ? `stuck, ${state}` : state}
        </span>
      </td>
      <td>
        <button type="button" className={classes.open} onClick={onOpen}>
          {parent && <span className="soft">{parent.job} › </span>}
          {job}
        </button>
      </td>
      <td>{dayTime(from)}</td>
      <td>
        {duration(took)}
        {to === undefined && ' so far'}
      </td>
      <td className={classes.parameters}>
        {Object.entries(parameters)
          .map(([name, value]) => `${name} ${value}`)
          .join(', ')}
      </td>
      <td>{entity.instance ?? entity.service ?? ''}</td>
      <td>
        {usage.recordsIn === undefined ? '' : shortCount(usage.recordsIn)}
        {usage.recordsOut === undefined ? '' : `, ${shortCount(usage.recordsOut)}`}
      </td>
    </tr>
  );
}
