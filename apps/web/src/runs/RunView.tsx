import type { LevelName, RunAnswer } from '@flail/contract';
import { quoteValue } from '@flail/core/expression';
import { Button, Modal } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { InvestigateLink } from '../cases/InvestigateLink.js';
import { carriedParameters, useViewParameter, useViewState, writeState } from '../context/view-state.js';
import { saveText } from '../export/save.js';
import { byteCount, fullCount, plural } from '../format/numbers.js';
import { clockTime, dayTime } from '../format/times.js';
import { Choice } from '../frame/Choice.js';
import { useKeys } from '../frame/keys.js';
import { LineText } from '../logs/LineText.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import { usePinning } from '../pins/usePinning.js';
import { Failure, Waiting } from '../states/States.js';
import { secondsText } from '../format/figures.js';
import { useRun, useRunAction } from './queries.js';
import { runFinding } from './sentences.js';
import { spanWith, useRunsSpan } from './span.js';
import list from '../frame/list.module.css';
import classes from './runs.module.css';

interface Props {
  run: string;
  onBack: () => void;
  onOpen: (run: string) => void;
}

/** One run: states, where its time went, steps and workers, the last good one, its lines, and what can be done. */
export default function RunView({ run, onBack, onOpen }: Props) {
  const [{ dataset }] = useViewState();
  const client = useQueryClient();
  const answer = useRun(dataset, run);
  useKeys({ Escape: onBack });
  if (answer.isError) return <Failure error={answer.error} onRetry={() => void answer.refetch()} />;
  if (!answer.data || answer.isPlaceholderData)
    return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['run'] })} />;
  return <Shown key={run} run={answer.data} onBack={onBack} onOpen={onOpen} />;
}

/** A length of time in milliseconds, short ones told apart. */
const length = (millis: number): string => secondsText(millis / 1000);

const MARGIN = 60_000;
const ENDED = ['done', 'done with errors', 'failed', 'stopped'];

function Shown({ run, onBack, onOpen }: { run: RunAnswer } & Omit<Props, 'run'>) {
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  const pin = usePinning();
  const span = useRunsSpan();
  const finding = runFinding(run);
  const toLogs = (): void => {
    const from = Date.parse(run.from) - MARGIN;
    const to =
      (run.to === undefined ? Date.parse(run.logs.at(-1)?.time ?? run.from) : Date.parse(run.to)) + MARGIN;
    const next = writeState(carriedParameters(parameters), {
      focus: { from, to },
      scope: `run = ${quoteValue(run.id)}`,
    });
    void navigate(`/logs?${next.toString()}`, {
      state: { carried: `lines of a run of ${run.job}`, back: `${location.pathname}${location.search}` },
    });
  };
  return (
    <section className={classes.view} aria-label="Run">
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {finding}{' '}
          <button type="button" className="word" onClick={onBack}>
            back to the list
          </button>
        </p>
        <Actions run={run} />
      </div>
      <p className={classes.facts}>
        {dayTime(run.from)} · {run.id}
        {run.trigger !== undefined && ` · by ${run.trigger}`}
        {run.nominal !== undefined && run.nominal !== run.from && ` · planned for ${dayTime(run.nominal)}`}
        <button
          type="button"
          className="word"
          onClick={() =>
            pin({ kind: 'window', title: finding.slice(0, 200), seen: { run: run.id, state: run.state } })
          }
        >
          pin
        </button>
        {span && (
          <InvestigateLink
            focus={spanWith(span, run)}
            job={run.job}
            words={`investigate the runs of ${run.job}`}
          />
        )}
        {run.parent && (
          <button type="button" className="word" onClick={() => onOpen(run.parent!.id)}>
            its parent, {run.parent.job}
          </button>
        )}
        {run.children.map(({ id, job, state }) => (
          <button key={id} type="button" className="word" onClick={() => onOpen(id)}>
            {job}: {state}
          </button>
        ))}
      </p>
      <Account run={run} />
      <div className={classes.two}>
        <div className={classes.side} role="group" aria-label="What it did" tabIndex={0}>
          <States run={run} />
          <Steps run={run} />
          <Facts run={run} />
        </div>
        <div className={classes.side} role="group" aria-label="The last good run and its lines" tabIndex={0}>
          <LastGood run={run} onOpen={onOpen} />
          <Lines run={run} onLogs={toLogs} />
        </div>
      </div>
    </section>
  );
}

/** Stops a run that goes on, or tries one again that failed, through the scheduler, after a word. */
function Actions({ run: { id, job, state, actions } }: { run: RunAnswer }) {
  const [asked, setAsked] = useState<'stop' | 'retry'>();
  const act = useRunAction();
  const going = !ENDED.includes(state);
  const action = going ? 'stop' : 'retry';
  if (!actions.includes(action) || (!going && state !== 'failed' && state !== 'stopped')) return null;
  return (
    <>
      {act.isSuccess && (
        <span role="status" data-testid="acted">
          The scheduler {act.variables.action === 'stop' ? 'stops it' : 'tries it again'}.
        </span>
      )}
      <Button size="xs" variant="default" onClick={() => setAsked(action)}>
        {going ? 'Stop it' : 'Try it again'}
      </Button>
      <Modal
        opened={asked !== undefined}
        onClose={() => setAsked(undefined)}
        title={asked === 'stop' ? `Stop this run of ${job}` : `Try this run of ${job} again`}
      >
        <p>
          {asked === 'stop'
            ? 'What it has done so far stays as it is; it will not go on.'
            : 'It begins anew with the same parameters. What it wrote before may be written twice.'}
        </p>
        {act.isError && <p role="alert">{act.error.message}</p>}
        <Button
          size="xs"
          loading={act.isPending}
          onClick={() => act.mutate({ run: id, action: asked! }, { onSuccess: () => setAsked(undefined) })}
        >
          {asked === 'stop' ? 'Stop it' : 'Try it again'}
        </Button>
      </Modal>
    </>
  );
}

const PART_WORDS = { waiting: 'waiting', starting: 'starting', work: 'step', overhead: 'between steps' };

function Account({ run: { account } }: { run: RunAnswer }) {
  const from = Date.parse(account[0]?.from ?? '');
  const to = Date.parse(account.at(-1)?.to ?? '');
  if (!(to > from)) return null;
  const sums = new Map<string, { kind: RunAnswer['account'][number]['kind']; step: string; time: number }>();
  for (const part of account) {
    const key = `${part.kind} ${part.step}`;
    const time = Date.parse(part.to) - Date.parse(part.from);
    const sum = sums.get(key);
    if (sum) sum.time += time;
    else sums.set(key, { kind: part.kind, step: part.step, time });
  }
  return (
    <figure className={classes.account} aria-label="Where the time went" data-testid="account">
      <div className={classes.bar}>
        {account.map((part, at) => (
          <span
            key={at}
            data-kind={part.kind}
            style={{
              left: `${(100 * (Date.parse(part.from) - from)) / (to - from)}%`,
              width: `${(100 * (Date.parse(part.to) - Date.parse(part.from))) / (to - from)}%`,
            }}
            title={`${PART_WORDS[part.kind]} ${part.step}`}
          >
            {part.step}
          </span>
        ))}
      </div>
      <figcaption>
        {[...sums.values()].map(({ kind, step, time }) => (
          <span key={`${kind} ${step}`}>
            <i data-kind={kind} /> {PART_WORDS[kind]} {step} <b>{length(time)}</b>
          </span>
        ))}
      </figcaption>
    </figure>
  );
}

const States = ({ run: { states } }: { run: RunAnswer }) => (
  <section className={classes.part}>
    <h3>States</h3>
    <p>
      {states.map(({ state, time }, at) => (
        <span key={time + state}>
          {at > 0 && ' → '}
          {state} <span className="soft">{clockTime(time).slice(0, 8)}</span>
        </span>
      ))}
    </p>
  </section>
);

function Steps({ run: { steps, workers } }: { run: RunAnswer }) {
  return (
    <>
      {steps.length > 0 && (
        <section className={classes.part}>
          <h3>Steps</h3>
          <table className={classes.table}>
            <tbody>
              {steps.map(({ name, state, after, from, to, worker, error }) => (
                <tr key={name}>
                  <td>
                    <span className={classes.state} data-state={state}>
                      {state}
                    </span>
                  </td>
                  <td>
                    <b>{name}</b> {after.length > 0 && <span className="soft">after {after.join(', ')}</span>}
                    {error !== undefined && <div className={classes.error}>{error}</div>}
                  </td>
                  <td>
                    {from !== undefined && to !== undefined ? length(Date.parse(to) - Date.parse(from)) : ''}
                  </td>
                  <td>{worker ?? ''}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      {workers.length > 0 && (
        <section className={classes.part}>
          <h3>{plural(workers.length, 'worker')}</h3>
          {workers.map(({ name, host, from, to }) => (
            <p key={name}>
              {name} {host !== undefined && <span className="soft">on {host}</span>}{' '}
              {from !== undefined && clockTime(from).slice(0, 8)}
              {to !== undefined && ` – ${clockTime(to).slice(0, 8)}`}{' '}
              <span className="soft">
                {steps
                  .filter((step) => step.worker === name)
                  .map((step) => step.name)
                  .join(', ')}
              </span>
            </p>
          ))}
        </section>
      )}
    </>
  );
}

function Facts({ run: { parameters, usage, entity, error, inputs, outputs } }: { run: RunAnswer }) {
  const facts: [string, string][] = [
    ...Object.entries(parameters),
    ...Object.entries(entity),
    ...(usage.recordsIn === undefined
      ? []
      : [['records in', fullCount(usage.recordsIn)] as [string, string]]),
    ...(usage.recordsOut === undefined
      ? []
      : [['records out', fullCount(usage.recordsOut)] as [string, string]]),
    ...(usage.cpuSeconds === undefined ? [] : [['CPU', `${usage.cpuSeconds} s`] as [string, string]]),
    ...(usage.memoryBytes === undefined
      ? []
      : [['memory', byteCount(usage.memoryBytes)] as [string, string]]),
    ...(inputs.length === 0 ? [] : [['reads', inputs.join(', ')] as [string, string]]),
    ...(outputs.length === 0 ? [] : [['writes', outputs.join(', ')] as [string, string]]),
  ];
  return (
    <section className={classes.part}>
      <h3>Parameters, place and figures</h3>
      <dl>
        {facts.map(([name, value]) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd className="mono">{value}</dd>
          </div>
        ))}
      </dl>
      {error?.stack !== undefined && <pre className={classes.stack}>{error.stack}</pre>}
    </section>
  );
}

function LastGood({ run: { good, differences }, onOpen }: { run: RunAnswer; onOpen: (run: string) => void }) {
  return (
    <section className={classes.part} data-testid="last-good">
      <h3>The last good run</h3>
      {!good ? (
        <p className="soft">None of this job is held from before it.</p>
      ) : (
        <>
          <p>
            {dayTime(good.from)}.{' '}
            {differences.length === 0
              ? 'Nothing tells them apart.'
              : `${plural(differences.length, 'difference')}:`}{' '}
            <button type="button" className="word" onClick={() => onOpen(good.id)}>
              open it
            </button>
          </p>
          <table className={classes.table}>
            <tbody>
              {differences.map(({ kind, what, own, good: other }) => (
                <tr key={`${kind} ${what}`}>
                  <td>
                    {kind === 'step' ? 'step ' : kind === 'time' ? 'time of ' : ''}
                    {what}
                  </td>
                  <td className="mono">{own === '' ? 'absent' : own}</td>
                  <td className="soft">was {other === '' ? 'absent' : other}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </section>
  );
}

const LEVELS: { value: string; label: string; levels?: readonly LevelName[] }[] = [
  { value: 'all', label: 'all' },
  { value: 'warn', label: 'warnings and errors', levels: ['warn', 'error', 'fatal'] },
  { value: 'error', label: 'errors', levels: ['error', 'fatal'] },
];

function Lines({ run: { id, logs, matched }, onLogs }: { run: RunAnswer; onLogs: () => void }) {
  const [level, setLevel] = useViewParameter('level', 'all');
  const levels = LEVELS.find(({ value }) => value === level)?.levels;
  const shown = logs.filter((record) => !levels || levels.includes(record.level));
  return (
    <section className={classes.part}>
      <h3>
        {plural(matched, 'line')} of its own
        {matched > logs.length && `, the last ${fullCount(logs.length)}`}{' '}
        <button type="button" className="word" onClick={onLogs}>
          in Logs
        </button>
        {logs.length > 0 && (
          <button
            type="button"
            className="word"
            onClick={() =>
              saveText(`${id}.log`, `${logs.map(({ line }) => line).join('\n')}\n`, 'text/plain')
            }
          >
            save them
          </button>
        )}
      </h3>
      {logs.length > 0 && (
        <Choice
          aria-label="Levels of the lines"
          data={LEVELS.map(({ value, label }) => ({ value, label }))}
          value={level}
          onChange={setLevel}
        />
      )}
      <div className={classes.lines}>
        {shown.map((record) => (
          <div key={record.id}>
            <LevelLetter level={record.level} /> <time className="soft">{clockTime(record.time)}</time>{' '}
            <LineText record={record} whole />
          </div>
        ))}
      </div>
    </section>
  );
}
