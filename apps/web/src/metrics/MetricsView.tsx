import type { ChangeBody, ReadBody, SeriesSource } from '@flail/contract';
import { useEffect, useRef, useState } from 'react';
import { readBody, useChanges } from '../api/queries.js';
import { type Span, useViewParameter, useViewState } from '../context/view-state.js';
import { Choice } from '../frame/Choice.js';
import { useRowKeys } from '../frame/keys.js';
import { Message } from '../states/States.js';
import { Finder } from './Finder.js';
import { Plot } from './Plot.js';
import { plotOf, plotsFrom, type PlotSpec, plotsText } from './plots.js';
import { Related } from './Related.js';
import classes from './metrics.module.css';

const NO_CHANGES: readonly ChangeBody[] = [];

/** Series of everything on one axis of time. */
export function MetricsView() {
  const [state] = useViewState();
  const body = readBody(state);
  if (!body || !state.focus)
    return (
      <Message title="Numbers over time">
        <p>
          Draw the bad time on the timeband above, or type it there. Metrics, rates of patterns, figures of
          requests and any expression are drawn around it, with what is normal for them.
        </p>
      </Message>
    );
  return <Metrics body={body} focus={state.focus} />;
}

function Metrics({ body, focus }: { body: ReadBody; focus: Span }) {
  const [text, setText] = useViewParameter('plots', '');
  const [side, setSide] = useViewParameter('side', 'find');
  const [chosen, setChosen] = useState(0);
  const plots = plotsFrom(text);
  const length = focus.to - focus.from;
  // As long before the focus as it takes to see where it left the normal.
  const lead = Math.max(60_000, length / 2);
  const { data } = useChanges(body.dataset ?? 'live', { from: focus.from - lead, to: focus.to });
  const changes = data?.changes ?? NO_CHANGES;
  const set = (next: readonly PlotSpec[]): void => setText(plotsText(next));
  const end = useRef<HTMLDivElement>(null);
  const shown = useRef(plots.length);
  useEffect(() => {
    if (plots.length > shown.current) end.current?.scrollIntoView({ block: 'end' });
    shown.current = plots.length;
  }, [plots.length]);
  useRowKeys(plots.length, chosen, setChosen, {});
  const add = (source: SeriesSource, into: 'new' | 'chosen'): void => {
    const own = plots[chosen];
    if (into === 'new' || !own) {
      // What was only there to begin with makes room for what is asked for.
      set(text === '' ? [plotOf(source), ...plots] : [...plots, plotOf(source)]);
      setChosen(text === '' ? 0 : plots.length);
    } else if (!own.sources.some((one) => JSON.stringify(one) === JSON.stringify(source)))
      set(plots.map((plot) => (plot === own ? { ...plot, sources: [...plot.sources, source] } : plot)));
  };
  const chosenSource = plots[chosen]?.sources[0];
  return (
    <section className={classes.view} aria-label="Metrics">
      <div className={classes.plots} tabIndex={-1}>
        {plots.map((spec, at) => (
          <Plot
            key={`${at} ${plotsText([{ ...spec, kind: 'line', ghosts: [] }])}`}
            spec={spec}
            body={body}
            focus={focus}
            lead={lead}
            changes={changes}
            selected={at === chosen}
            onSelect={() => setChosen(at)}
            onChange={(next) => set(plots.map((plot, index) => (index === at ? next : plot)))}
            onRemove={() => set(plots.filter((_, index) => index !== at))}
          />
        ))}
        {plots.length === 0 && (
          <Message title="No plot">
            <p>Find something to draw at the right.</p>
          </Message>
        )}
        <div ref={end} />
      </div>
      <aside className={classes.panel} aria-label="What else can be drawn" tabIndex={0}>
        <Choice
          fullWidth
          aria-label="Beside the plots"
          data={[
            { value: 'find', label: 'find' },
            { value: 'with', label: 'what moved with this' },
          ]}
          value={side}
          onChange={setSide}
        />
        {side === 'with' && chosenSource ? (
          <Related key={JSON.stringify(chosenSource)} body={body} source={chosenSource} onAdd={add} />
        ) : (
          <Finder body={body} onAdd={add} canLay={plots.length > 0} />
        )}
      </aside>
    </section>
  );
}
