import type { ChangeBody, TopologyAnswer } from '@flail/contract';
import { narrow, quoteValue } from '@flail/core/expression';
import { useNavigate, useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import { useAsked, windowBody } from '../api/queries.js';
import { carriedParameters, type Span, useViewState, writeState } from '../context/view-state.js';
import { secondsText } from '../format/figures.js';
import { percent, shortCount } from '../format/numbers.js';
import { dayTime } from '../format/times.js';
import { failedShare, instancesOf, type MapCall, type MapGraph, TOLERANCE } from './graph.js';
import classes from './map.module.css';

interface ChosenProps {
  name: string;
  graph: MapGraph;
  topology: TopologyAnswer;
  focus: Span;
}

const DAY = 86_400_000;

/** One of them: whom it asks, who asks it, its instances with their hosts and neighbours, and what was changed of it. */
export function Chosen({ name, graph: { calls }, topology, focus }: ChosenProps) {
  const [state] = useViewState();
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  const changes = useAsked(['changes of', state.dataset, focus], (signal) =>
    api.changes(
      { dataset: state.dataset, window: windowBody({ from: focus.to - DAY, to: focus.to }) },
      signal,
    ),
  );
  const go = (path: string, scope: string): void => {
    const next = writeState(carriedParameters(parameters), { scope: narrow(state.scope, scope) });
    void navigate(`${path}?${next.toString()}`, {
      state: { carried: `${name}, from the map`, back: `${location.pathname}${location.search}` },
    });
  };
  const instances = instancesOf(topology, (service) => service === name);
  const everywhere = instancesOf(topology, () => true);
  const own = (changes.data?.changes ?? []).filter(({ entity }) => entity.service === name);
  return (
    <aside className={classes.panel} aria-label={name} data-testid="chosen">
      <h2>{name}</h2>
      <p>
        {(['/requests', '/logs', '/patterns'] as const).map((path) => (
          <button
            key={path}
            type="button"
            className="word"
            onClick={() => go(path, `service = ${quoteValue(name)}`)}
          >
            its {path.slice(1) === 'logs' ? 'lines' : path.slice(1)}
          </button>
        ))}
      </p>
      <CallsTable title="Asked by" calls={calls.filter(({ to }) => to === name)} other={({ from }) => from} />
      <CallsTable title="Asks" calls={calls.filter(({ from }) => from === name)} other={({ to }) => to} />
      {instances.length > 0 && (
        <>
          <h3>{instances.length === 1 ? 'One instance' : `${instances.length} instances`}</h3>
          {instances.map(({ instance, host, site, records }) => {
            const beside = everywhere.filter(
              (one) => host !== undefined && one.host === host && one.instance !== instance,
            );
            return (
              <p key={instance}>
                <button
                  type="button"
                  className="word"
                  onClick={() => go('/requests', `instance = ${quoteValue(instance)}`)}
                >
                  {instance}
                </button>{' '}
                <span className="soft">
                  {[host, site].filter((one) => one !== undefined).join(', ')}; {shortCount(records)} records
                  {beside.length > 0 && `; beside ${beside.map((one) => one.instance).join(', ')}`}
                </span>
              </p>
            );
          })}
        </>
      )}
      <h3>Changed in the day before</h3>
      {own.length === 0 && <p className="soft">Nothing that was told.</p>}
      {own.map((change) => (
        <Change key={`${change.source} ${change.id}`} change={change} />
      ))}
    </aside>
  );
}

const Change = ({ change: { time, title, kind, entity } }: { change: ChangeBody }) => (
  <p>
    <span className="soft">{dayTime(time)}</span> {title}{' '}
    <span className="soft">
      {kind}
      {entity.instance === undefined ? '' : `, ${entity.instance}`}
    </span>
  </p>
);

function CallsTable({
  title,
  calls,
  other,
}: {
  title: string;
  calls: readonly MapCall[];
  other: (call: MapCall) => string;
}) {
  if (calls.length === 0) return null;
  return (
    <>
      <h3>{title}</h3>
      <table>
        <tbody>
          {calls.map((call) => {
            const { focus, baseline } = call;
            return (
              <tr key={other(call)}>
                <td>{other(call)}</td>
                <td>
                  {shortCount(Math.round(focus?.calls ?? 0))}
                  <span>was {shortCount(Math.round(baseline?.calls ?? 0))}</span>
                </td>
                <td data-failing={failedShare(focus) > TOLERANCE}>
                  {percent(failedShare(focus))} failed<span>was {percent(failedShare(baseline))}</span>
                </td>
                <td>
                  {focus && focus.p95 > 0 && secondsText(focus.p95)}
                  {baseline && baseline.p95 > 0 && <span>was {secondsText(baseline.p95)}</span>}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}
