import type { ReadBody } from '@flail/contract';
import { narrow } from '@flail/core/expression';
import { CloseButton } from '@mantine/core';
import { Chart } from '../charts/Chart.js';
import { seriesOf } from '../charts/options.js';
import { api } from '../api/client.js';
import { useAsked, useSummary } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';
import { plural } from '../format/numbers.js';
import { dayTime, duration } from '../format/times.js';
import { Failure } from '../states/States.js';
import { regularitySentence } from './regularity.js';
import { stepFor, withSteps } from './steps.js';
import classes from './logs.module.css';

interface Props {
  what: 'count' | 'regularity';
  /** The filter that it is asked of, beside the scope. */
  term: string;
  body: ReadBody;
  onClose: () => void;
}

/** An answer about some of the lines, above the list of all: how many over time, or whether they are regular. */
export function AskedOf({ what, term, body, onClose }: Props) {
  const [state] = useViewState();
  const scope = narrow(state.scope, term);
  return (
    <section
      className={classes.asked}
      aria-label={what === 'count' ? 'Count over time' : 'Regularity'}
      data-testid="asked"
    >
      <div className={classes.askedHead}>
        <b>{what === 'count' ? 'Over time' : 'Regularity'}</b> of <code>{term}</code>
        <CloseButton size="xs" ml="auto" aria-label="Close" onClick={onClose} />
      </div>
      {what === 'count' ? <Count scope={scope} body={body} /> : <Regularity scope={scope} body={body} />}
    </section>
  );
}

function Count({ scope, body }: { scope: string; body: ReadBody }) {
  const [{ focus, baseline }] = useViewState();
  const summary = useSummary(body, withSteps(scope, `count every ${stepFor(focus!)}`));
  if (summary.isError) return <Failure error={summary.error} onRetry={() => void summary.refetch()} />;
  const data = summary.data && seriesOf(summary.data, focus!.from - (baseline?.from ?? 0));
  return data ? (
    <Chart data={data} kind="bar" height={120} label="records over time" />
  ) : (
    <div style={{ height: 120 }} />
  );
}

function Regularity({ scope, body }: { scope: string; body: ReadBody }) {
  const { dataset = 'live', window } = body;
  const found = useAsked(['regularity', dataset, scope, window], (signal) =>
    api.regularity({ dataset, scope, ...window }, signal),
  );
  if (found.isError) return <Failure error={found.error} onRetry={() => void found.refetch()} />;
  if (!found.data) return <p className="soft">Looking at the times between them.</p>;
  const { missed = [] } = found.data;
  return (
    <div data-testid="regularity">
      <p className={classes.askedSentence}>{regularitySentence(found.data)}</p>
      {missed.length > 0 && (
        <p className="soft">
          Missed:{' '}
          {missed
            .slice(0, 10)
            .map((moment) => dayTime(moment))
            .join(', ')}
          {missed.length > 10 && ` and ${plural(missed.length - 10, 'more', 'more')}`}
        </p>
      )}
      {found.data.jitter !== undefined && (
        <p className="soft">Half of them are within {duration(found.data.jitter * 1000)} of the beat.</p>
      )}
    </div>
  );
}
