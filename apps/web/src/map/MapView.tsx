import type { ChangeBody, TopologyAnswer } from '@flail/contract';
import { narrow, quoteValue } from '@flail/core/expression';
import { SegmentedControl, Select } from '@mantine/core';
import { useElementSize } from '@mantine/hooks';
import { useQueryClient } from '@tanstack/react-query';
import { useMemo } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import { readBody, useAsked, windowBody } from '../api/queries.js';
import {
  carriedParameters,
  type Span,
  useViewParameter,
  useViewState,
  writeState,
} from '../context/view-state.js';
import { percent, shortCount } from '../format/numbers.js';
import { dayTime } from '../format/times.js';
import { useKeys } from '../frame/keys.js';
import { secondsText } from '../format/figures.js';
import { Failure, Message, Waiting } from '../states/States.js';
import {
  callText,
  failedShare,
  graphOf,
  instancesOf,
  type MapCall,
  type MapGraph,
  mapFinding,
  sharesOf,
  type MapNode,
  TOLERANCE,
  type Way,
  wayFinding,
  WAYS,
} from './graph.js';
import list from '../frame/list.module.css';
import classes from './map.module.css';

/** Services, stores and jobs, and who calls whom. */
export function MapView() {
  const [{ focus, baseline }] = useViewState();
  if (!focus)
    return (
      <Message title="Who calls whom">
        <p>Draw a stretch of time on the timeband above, or type it there, to see the calls in it.</p>
      </Message>
    );
  return <Shown focus={focus} baseline={baseline} />;
}

const useTopology = (dataset: string, span: Span | undefined) =>
  useAsked(
    ['topology', dataset, span],
    (signal) => api.topology({ dataset, window: windowBody(span!) }, signal),
    span !== undefined,
  );

/** By which calls requests of the focus and scope go. */
function useWay(way: Way) {
  const [state] = useViewState();
  const body = readBody(state);
  return useAsked(
    ['way', body, way],
    (signal) => api.requestsWay({ ...body!, ...(way !== 'none' && { preset: way }) }, signal),
    way !== 'none' && body !== undefined,
  );
}

function Shown({ focus, baseline }: { focus: Span; baseline: Span | undefined }) {
  const [{ dataset }] = useViewState();
  const [chosen, setChosen] = useViewParameter('node', '');
  const [show, setShow] = useViewParameter('show', 'map');
  const [named, setWay] = useViewParameter('way', 'none');
  const way: Way = WAYS.find(({ value }) => value === named)?.value ?? 'none';
  const client = useQueryClient();
  const lit = useWay(way);
  const now = useTopology(dataset, focus);
  const before = useTopology(dataset, baseline);
  const runs = useAsked(['runs', dataset, focus], (signal) =>
    api.runs({ dataset, window: windowBody(focus), limit: 2000 }, signal),
  );
  useKeys({ Escape: () => setChosen('') });
  const graph = useMemo(
    () => (now.data ? graphOf(now.data, baseline && before.data, runs.data?.runs ?? []) : undefined),
    [now.data, before.data, runs.data, baseline],
  );
  if (now.isError) return <Failure error={now.error} onRetry={() => void now.refetch()} />;
  if (!graph || !now.data)
    return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['topology'] })} />;
  if (graph.nodes.length === 0)
    return (
      <Message title="No calls here">
        <p>No spans that call one another came in for this stretch of time.</p>
      </Message>
    );
  return (
    <section className={classes.view} aria-label="Map" data-stale={now.isPlaceholderData}>
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {way !== 'none' && lit.data ? wayFinding(way, lit.data) : mapFinding(graph)}
          {now.data.callsFrom !== undefined && (
            <span className="soft"> Told from the spans since {dayTime(now.data.callsFrom)}.</span>
          )}
        </p>
        <Select
          size="xs"
          w={150}
          aria-label="Way that is lit"
          data={WAYS.map(({ value, label }) => ({ value, label }))}
          value={way}
          allowDeselect={false}
          onChange={(value) => setWay(value ?? 'none')}
        />
        <SegmentedControl
          size="xs"
          aria-label="Shown as"
          data={[
            { value: 'map', label: 'map' },
            { value: 'matrix', label: 'matrix' },
          ]}
          value={show}
          onChange={setShow}
        />
      </div>
      <div className={classes.two}>
        {show === 'matrix' ? (
          <Matrix graph={graph} onChoose={setChosen} />
        ) : (
          <Drawing
            graph={graph}
            chosen={chosen}
            share={way !== 'none' && lit.data ? sharesOf(lit.data) : undefined}
            onChoose={(name) => setChosen(name === chosen ? '' : name)}
          />
        )}
        {chosen !== '' && <Chosen name={chosen} graph={graph} topology={now.data} focus={focus} />}
      </div>
    </section>
  );
}

const BOX = { width: 122, height: 34 };
const MARGIN = 10;
/** Width of a layer, at least. */
const LAYER = 136;

interface DrawingProps {
  graph: MapGraph;
  chosen: string;
  /** Share of the requests, whose way is lit, that make a call. */
  share: ((call: MapCall) => number) | undefined;
  onChoose: (name: string) => void;
}

function Drawing({ graph: { nodes, calls }, chosen, share, onChoose }: DrawingProps) {
  const { ref, width, height } = useElementSize();
  const layers = Math.max(...nodes.map(({ layer }) => layer)) + 1;
  const places = Math.max(...nodes.map(({ place }) => Math.abs(place))) * 2 + 1;
  const acrossStep =
    layers > 1 ? (Math.max(width, layers * LAYER) - BOX.width - 2 * MARGIN) / (layers - 1) : 0;
  const downStep = Math.max(BOX.height + 14, Math.min(92, (height - 2 * MARGIN) / places));
  const tall = Math.max(height - 4, places * downStep + 2 * MARGIN);
  const at = (node: MapNode): { x: number; y: number } => ({
    x: MARGIN + node.layer * acrossStep,
    y: tall / 2 + node.place * downStep - BOX.height / 2,
  });
  const byName = new Map(nodes.map((node) => [node.name, at(node)]));
  const most = Math.max(1, ...calls.map(({ focus }) => focus?.calls ?? 0));
  const touches = (call: MapCall): boolean =>
    (chosen === '' || call.from === chosen || call.to === chosen) && (!share || share(call) > 0);
  const widthOf = (call: MapCall): number =>
    share ? 1 + 6 * share(call) : 1 + 5 * Math.sqrt((call.focus?.calls ?? 0) / most);
  const near = new Set(calls.filter(touches).flatMap(({ from, to }) => [from, to]));
  return (
    <div ref={ref} className={classes.drawing}>
      <svg width={Math.max(width, layers * LAYER)} height={tall} role="group" aria-label="Who calls whom">
        {calls.map((call) => {
          const [a, b] = [byName.get(call.from)!, byName.get(call.to)!];
          const back = b.x <= a.x;
          const [x1, y1] = [a.x + BOX.width, a.y + BOX.height / 2];
          const [x2, y2] = [back ? b.x + BOX.width : b.x, b.y + BOX.height / 2];
          const bend = back ? 60 : Math.max(30, (x2 - x1) / 2);
          return (
            <path
              key={`${call.from} ${call.to}`}
              d={`M${x1},${y1}C${x1 + bend},${y1} ${back ? x2 + bend : x2 - bend},${y2} ${x2},${y2}`}
              className={classes.call}
              data-failing={failedShare(call.focus) > TOLERANCE}
              data-gone={call.focus === undefined}
              data-lit={touches(call)}
              data-way={share && touches(call)}
              strokeWidth={widthOf(call)}
            >
              <title>{`${call.from} → ${call.to}: ${share ? `on the way of ${percent(share(call))}; ` : ''}${callText(call)}`}</title>
            </path>
          );
        })}
        {nodes.map((node) => {
          const { x, y } = byName.get(node.name)!;
          const into = calls.filter(({ to, focus }) => to === node.name && focus);
          const asked = into.reduce((sum, { focus }) => sum + focus!.calls, 0);
          const failed = into.reduce((sum, { focus }) => sum + focus!.failed, 0);
          return (
            <g
              key={node.name}
              transform={`translate(${x},${y})`}
              className={classes.node}
              data-kind={node.kind}
              data-lit={near.has(node.name)}
              data-chosen={node.name === chosen}
              role="button"
              tabIndex={0}
              aria-label={node.name}
              onClick={() => onChoose(node.name)}
              onKeyDown={({ key }) => key === 'Enter' && onChoose(node.name)}
            >
              <rect width={BOX.width} height={BOX.height} rx={2} />
              <text x={8} y={14}>
                {node.name.length > 17 ? `${node.name.slice(0, 16)}…` : node.name}
              </text>
              <text
                x={8}
                y={28}
                className={classes.small}
                data-failing={asked > 0 && failed / asked > TOLERANCE}
              >
                {node.kind === 'job'
                  ? 'job'
                  : asked === 0
                    ? 'asked by nobody here'
                    : `${shortCount(Math.round(asked))}, ${percent(failed / asked)} failed`}
              </text>
            </g>
          );
        })}
      </svg>
    </div>
  );
}

/** The same as a table: callers down, called across. */
function Matrix({
  graph: { nodes, calls },
  onChoose,
}: {
  graph: MapGraph;
  onChoose: (name: string) => void;
}) {
  const order = [...nodes].sort((a, b) => a.layer - b.layer || a.place - b.place).map(({ name }) => name);
  const callers = order.filter((name) => calls.some(({ from }) => from === name));
  const called = order.filter((name) => calls.some(({ to }) => to === name));
  const of = new Map(calls.map((call) => [`${call.from}\n${call.to}`, call]));
  return (
    <div className={classes.matrix}>
      <table data-testid="matrix">
        <thead>
          <tr>
            <th>calls of ↓ to →</th>
            {called.map((name) => (
              <th key={name}>
                <button type="button" className="word" onClick={() => onChoose(name)}>
                  {name}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {callers.map((from) => (
            <tr key={from}>
              <th>
                <button type="button" className="word" onClick={() => onChoose(from)}>
                  {from}
                </button>
              </th>
              {called.map((to) => {
                const call = of.get(`${from}\n${to}`);
                return (
                  <td
                    key={to}
                    data-failing={failedShare(call?.focus) > TOLERANCE}
                    title={call && callText(call)}
                  >
                    {call?.focus && (
                      <>
                        {shortCount(Math.round(call.focus.calls))}
                        <span>{percent(failedShare(call.focus))}</span>
                      </>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

interface ChosenProps {
  name: string;
  graph: MapGraph;
  topology: TopologyAnswer;
  focus: Span;
}

const DAY = 86_400_000;

/** One of them: whom it asks, who asks it, its instances with their hosts and neighbours, and what was changed of it. */
function Chosen({ name, graph: { calls }, topology, focus }: ChosenProps) {
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
