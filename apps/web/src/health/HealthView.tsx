import type {
  HealthAnswer,
  HealthBody,
  RequestsAnalysisAnswer,
  SuspectBody,
  WindowBody,
} from '@flail/contract';
import { narrow, quoteValue } from '@flail/core/expression';
import { useQueryClient } from '@tanstack/react-query';
import { memo, useMemo } from 'react';
import { Link, useSearchParams } from 'react-router';
import { readBody, useHeld } from '../api/queries.js';
import {
  carriedParameters,
  useViewParameter,
  useViewState,
  writeState,
  type Span,
} from '../context/view-state.js';
import { fullCount, percent, shortCount } from '../format/numbers.js';
import { InvestigateLink } from '../cases/InvestigateLink.js';
import { Choice } from '../frame/Choice.js';
import { Unusual } from './Unusual.js';
import { Failure, MissingNote, Waiting } from '../states/States.js';
import { useShown } from '../states/useShown.js';
import { useRequestsAnalysis } from '../requests/queries.js';
import { originFinding, spreadFinding } from '../requests/sentences.js';
import { secondsText } from '../format/figures.js';
import { Figure } from './Figure.js';
import { Hours } from './Hours.js';
import { Objectives } from './Objectives.js';
import { hourFinding, retriedFinding } from './sentences.js';
import { Standing } from './Standing.js';
import { Suspect } from './Suspect.js';
import { useHealth } from './queries.js';
import list from '../frame/list.module.css';
import classes from './health.module.css';

const HOUR = 3_600_000;
const MINUTE = 60_000;

const FIVE_MINUTES = 5 * 60_000;
/** For whom the view begins with what. */
const READERS = ['operator', 'developer', 'lead'] as const;

/** What is wrong, since when, for whom: the start of an investigation. */
export function HealthView() {
  const [state] = useViewState();
  const held = useHeld().data;
  // Without a focus it is about the last hour, as far as it is held, to the minute.
  const to = held ? Math.floor(held.until / MINUTE) * MINUTE : NaN;
  const body = useMemo(() => {
    if (state.focus || Number.isNaN(to)) return readBody(state);
    const from = to - HOUR;
    return readBody({ ...state, focus: { from, to }, baseline: { from: from - HOUR, to: from } });
  }, [state, to]);
  return body && <Health body={body} given={state.focus !== undefined} />;
}

interface Props {
  body: HealthBody;
  /** Whether somebody drew the focus. */
  given: boolean;
}

function Health({ body, given }: Props) {
  const [reader] = useViewParameter('for', 'operator');
  const client = useQueryClient();
  const health = useHealth(body);
  const failing = health.data?.failing !== undefined;
  // The sentence of the hour comes first; what is asked beside it would only keep it waiting.
  const settled = health.isSuccess && !health.isPlaceholderData;
  const analysis = useRequestsAnalysis(body, settled && (failing || reader === 'developer'));
  const { answer, stale } = useShown(health);
  const behind = useShown(analysis);
  if (health.isError) return <Failure error={health.error} onRetry={() => void health.refetch()} />;
  if (!answer) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['health'] })} />;
  const told = behind.stale ? undefined : behind.answer;
  return <Answered body={body} given={given} answer={answer} told={told} stale={stale} settled={settled} />;
}

interface AnsweredProps extends Props {
  answer: HealthAnswer;
  /** What lies behind failing requests, once it is known. */
  told: RequestsAnalysisAnswer | undefined;
  /** Whether another answer is on its way. */
  stale: boolean;
  settled: boolean;
}

const Answered = memo(function Answered({ body, given, answer, told, stale, settled }: AnsweredProps) {
  const [state] = useViewState();
  const [reader, setReader] = useViewParameter('for', 'operator');
  const [suspect, setSuspect] = useViewParameter('suspect', '');
  const failing = answer.failing !== undefined;
  return (
    <section className={classes.view} aria-label="Health" data-stale={stale}>
      <div className={classes.head}>
        <p className={classes.finding} data-testid="finding">
          {hourFinding(answer, failing ? told : undefined)}
          {!given && <span className="soft"> This is the last hour; draw a focus for another time.</span>}
        </p>
        <span className={list.onward}>
          <InvestigateLink focus={spanOf(body.window)} />
        </span>
        <Choice
          aria-label="Begins with what matters to"
          data={[...READERS]}
          value={reader}
          onChange={setReader}
        />
      </div>
      <MissingNote missing={answer.missing} />
      <div className={classes.scroller}>
        {reader === 'lead' && <Objectives health={answer} body={body} />}
        <div className={classes.figures}>
          {(reader === 'lead'
            ? [...answer.business, ...answer.figures]
            : [...answer.figures, ...answer.business]
          ).map((figure) => (
            <Figure key={figure.name} figure={figure} />
          ))}
        </div>
        {suspect !== '' && <Suspected suspect={suspect} body={body} onClose={() => setSuspect('')} />}
        <div className={classes.columns}>
          <div>
            <section className={classes.part}>
              <h3>Share that fails, by hour: reading left, writing right</h3>
              <Hours hours={answer.hours} tolerance={answer.tolerance} />
              {retriedFinding(answer) !== '' && <p>{retriedFinding(answer)}</p>}
            </section>
            {told && failing && reader !== 'lead' && (
              <section className={classes.part} data-testid="spread">
                <h3>For whom</h3>
                <p>{originFinding(told)}</p>
                {told.spread
                  .filter(({ verdict, carries }) => verdict === 'a subset' && carries >= MOST)
                  .slice(0, 4)
                  .map((one) => (
                    <p key={one.what}>{spreadFinding(one)}</p>
                  ))}
                <p>
                  <To path="/requests" extra={{ which: 'failed' }}>
                    the failing requests
                  </To>{' '}
                  <To path="/requests" extra={{ show: 'behind' }}>
                    what lies behind
                  </To>{' '}
                  <To path="/patterns">what the logs say</To>
                </p>
              </section>
            )}
            {reader !== 'lead' && <Objectives health={answer} body={body} />}
          </div>
          <div>
            {reader !== 'lead' && (
              <Entities
                health={answer}
                onSuspect={(service, instance) => setSuspect(`${service}~instance~${instance}`)}
              />
            )}
            <Unusual {...steady(body, given)} settled={settled} />
            <Runs health={answer} />
            {reader !== 'developer' && (
              <Standing dataset={state.dataset} window={body.window} settled={settled} />
            )}
          </div>
        </div>
      </div>
    </section>
  );
});

const spanOf = ({ from, to }: WindowBody): Span => ({ from: Date.parse(from), to: Date.parse(to) });

/** The windows for what takes seconds to work out: without a focus they move on every five minutes only. */
function steady({ dataset, window, baseline }: HealthBody, given: boolean) {
  const moved = (moment: string): string =>
    given ? moment : new Date(Math.floor(Date.parse(moment) / FIVE_MINUTES) * FIVE_MINUTES).toISOString();
  const of = ({ from, to }: WindowBody): WindowBody => ({ from: moved(from), to: moved(to) });
  return { dataset: dataset ?? 'live', window: of(window), baseline: of(baseline ?? window) };
}

function Suspected({ suspect, body, onClose }: { suspect: string; body: HealthBody; onClose: () => void }) {
  const [service, field, value] = suspect.split('~');
  if (service === undefined || value === undefined) return null;
  return (
    <Suspect
      body={body}
      service={service}
      field={field as SuspectBody['field']}
      value={value}
      onClose={onClose}
    />
  );
}

/** Goes to another view with windows and scope. */
function To({
  path,
  extra = {},
  scope,
  children,
}: {
  path: string;
  extra?: Record<string, string>;
  scope?: string;
  children: React.ReactNode;
}) {
  const [state] = useViewState();
  const held = useHeld().data;
  const [parameters] = useSearchParams();
  const to = held ? Math.floor(held.until / MINUTE) * MINUTE : 0;
  const next = writeState(carriedParameters(parameters), {
    ...(!state.focus && { focus: { from: to - HOUR, to } }),
    ...(scope !== undefined && { scope: narrow(state.scope, scope) }),
  });
  for (const [name, value] of Object.entries(extra)) next.set(name, value);
  return (
    <Link
      className="word"
      to={`${path}?${next.toString()}`}
      state={{ carried: 'windows and scope, from Health' }}
    >
      {children}
    </Link>
  );
}

const ENTITIES = 5;
/** A subset that carries less of the failures than this is for the closer look. */
const MOST = 0.8;

function Entities({
  health: { entities },
  onSuspect,
}: {
  health: HealthAnswer;
  onSuspect: (service: string, instance: string) => void;
}) {
  if (entities.length === 0) return null;
  const shown =
    entities.length <= 2 * ENTITIES
      ? entities
      : [...entities.slice(0, ENTITIES), ...entities.slice(-ENTITIES)];
  return (
    <section className={classes.part}>
      <h3>Worst and best of {entities.length} instances</h3>
      <table className={classes.table}>
        <thead>
          <tr>
            <th>instance</th>
            <th>calls</th>
            <th>failed</th>
            <th>95% under</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {shown.map(({ service, instance, calls, failed, p95 }, at) => (
            <tr key={`${service} ${instance}`} data-first={entities.length > 2 * ENTITIES && at === ENTITIES}>
              <td>
                <To path="/requests" scope={`instance = ${quoteValue(instance)}`}>
                  {instance}
                </To>
              </td>
              <td>{shortCount(Math.round(calls))}</td>
              <td data-bad={failed / calls > 0.01}>{percent(failed / calls)}</td>
              <td>{secondsText(p95)}</td>
              <td>
                <button
                  type="button"
                  className="word"
                  aria-label={`Test ${instance} against its siblings`}
                  onClick={() => onSuspect(service, instance)}
                >
                  is it this one
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Runs({ health: { runs } }: { health: HealthAnswer }) {
  if (runs.length === 0) return null;
  return (
    <section className={classes.part} data-testid="runs">
      <h3>Runs that ended</h3>
      <table className={classes.table}>
        <thead>
          <tr>
            <th>job</th>
            <th>done</th>
            <th>with errors</th>
            <th>failed</th>
            <th>stuck</th>
          </tr>
        </thead>
        <tbody>
          {runs.map(({ job, focus, baseline, stuck }) => (
            <tr key={job}>
              <td>
                <To path="/runs" extra={{ job }}>
                  {job}
                </To>
              </td>
              <td>
                {focus.done} <span className="soft">was {baseline.done}</span>
              </td>
              <td>
                {focus['done with errors']} <span className="soft">was {baseline['done with errors']}</span>
              </td>
              <td data-bad={focus.failed > 0}>
                {focus.failed} <span className="soft">was {baseline.failed}</span>
              </td>
              <td data-bad={stuck > 0}>{fullCount(stuck)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
