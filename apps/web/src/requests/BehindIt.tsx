import type { RequestsAnalysisBody } from '@flail/contract';
import { narrow, quoteValue } from '@flail/core/expression';
import { useQueryClient } from '@tanstack/react-query';
import { useViewState } from '../context/view-state.js';
import { fullCount, percent, plural } from '../format/numbers.js';
import { Failure, MissingNote, Waiting } from '../states/States.js';
import { useRequestsAnalysis } from './queries.js';
import { secondsText } from '../format/figures.js';
import { makeUpFinding, originFinding, spreadFinding } from './sentences.js';
import classes from './requests.module.css';

const SPREADS_SHOWN = 6;

/** What lies behind the failing and the time of requests: where failing begins, how it spreads, what time is made of. */
export function BehindIt({ body }: { body: RequestsAnalysisBody }) {
  const [state, change] = useViewState();
  const client = useQueryClient();
  const analysis = useRequestsAnalysis(body);
  if (analysis.isError) return <Failure error={analysis.error} onRetry={() => void analysis.refetch()} />;
  if (!analysis.data)
    return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['requests-analysis'] })} />;
  const { origins, spread, makeUp, looked, of, missing } = analysis.data;
  const told = spread.filter(({ verdict }) => verdict === 'a subset');
  const alike = spread.filter(({ verdict }) => verdict === 'all alike');
  return (
    <div className={classes.behind} data-testid="behind" data-stale={analysis.isPlaceholderData}>
      <MissingNote missing={missing} />
      {looked < of && (
        <p className="soft">
          Told from the newest {fullCount(looked)} of {fullCount(of)} requests kept.
        </p>
      )}
      <section>
        <h3>Where failing begins</h3>
        <p>{originFinding(analysis.data)}</p>
        {origins.length > 1 && (
          <ul>
            {origins.slice(0, 6).map(({ service, operation, requests, message }) => (
              <li key={`${service} ${operation}`}>
                {fullCount(requests)}: {service}, {operation} <span className="soft">{message}</span>
              </li>
            ))}
          </ul>
        )}
      </section>
      <section>
        <h3>All or a subset</h3>
        {told.slice(0, SPREADS_SHOWN).map((one) => (
          <div key={one.what} className={classes.spread}>
            <p>
              {spreadFinding(one)}{' '}
              <button
                type="button"
                className="word"
                onClick={() =>
                  change({
                    scope: narrow(
                      state.scope,
                      one.subset.map((value) => `${one.field} = ${quoteValue(value)}`).join(' or '),
                    ),
                  })
                }
              >
                only
              </button>
            </p>
            <div className={classes.members}>
              {one.members.slice(0, 12).map(({ name, all, failed }) => (
                <span key={name} title={`${fullCount(failed)} of ${fullCount(all)} failed`}>
                  <i style={{ width: `${Math.max(1, (100 * failed) / Math.max(1, all))}%` }} />
                  {name} {percent(failed / Math.max(1, all))}
                </span>
              ))}
            </div>
          </div>
        ))}
        {told.length === 0 && (
          <p>
            {origins.length === 0 ? 'Nothing failed that could spread.' : 'No subset carries the failures.'}
          </p>
        )}
        {alike.length > 0 && (
          <p className="soft">
            All alike by{' '}
            {alike
              .slice(0, 10)
              .map(({ what }) => what)
              .join(', ')}
            {alike.length > 10 && ` and ${plural(alike.length - 10, 'other')}`}.
          </p>
        )}
      </section>
      <section>
        <h3>What the time of those that went well is made of</h3>
        <p>{makeUpFinding(analysis.data)}</p>
        <table className={classes.operations}>
          <thead>
            <tr>
              <th>part</th>
              <th title="Of the differences in time between requests, the part that goes with it">
                goes with the whole
              </th>
              <th>half under</th>
              <th>on average</th>
              <th>calls a request</th>
            </tr>
          </thead>
          <tbody>
            {makeUp.slice(0, 8).map(({ service, operation, share, mean, median, spans }) => (
              <tr key={`${service} ${operation}`}>
                <td>
                  {service} <span className="soft">{operation}</span>
                </td>
                <td>
                  <span className={classes.share}>
                    <i style={{ width: `${100 * Math.max(0, Math.min(1, share))}%` }} />
                  </span>
                  {percent(Math.max(0, share))}
                </td>
                <td>{secondsText(median)}</td>
                <td>{secondsText(mean)}</td>
                <td>{spans.toFixed(spans < 10 ? 1 : 0)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    </div>
  );
}
