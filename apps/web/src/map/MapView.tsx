import { Select } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useMemo } from 'react';
import { api } from '../api/client.js';
import { readBody, useAsked, windowBody } from '../api/queries.js';
import { type Span, useViewParameter, useViewState } from '../context/view-state.js';
import { dayTime } from '../format/times.js';
import { Choice } from '../frame/Choice.js';
import { useKeys } from '../frame/keys.js';
import { Failure, Message, Waiting } from '../states/States.js';
import { Chosen } from './Chosen.js';
import { Drawing } from './Drawing.js';
import { graphOf, mapFinding, sharesOf, type Way, wayFinding, WAYS } from './graph.js';
import { Matrix } from './Matrix.js';
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
        <Choice
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
