import type { MovedWith, ReadBody, SeriesSource } from '@flail/contract';
import { api } from '../api/client.js';
import { useTold } from '../api/useTold.js';
import { duration } from '../format/times.js';
import { LongWait } from '../states/LongWait.js';
import { Failure } from '../states/States.js';
import { relatedFinding } from './related.js';
import classes from './metrics.module.css';

interface Props {
  body: ReadBody;
  source: SeriesSource;
  onAdd: (source: SeriesSource, into: 'new' | 'chosen') => void;
}

/** Which series moved with one, before or after it, and which stayed as ever. */
export function Related({ body, source, onAdd }: Props) {
  const related = useTold(['related', body, source], (told, signal) =>
    api.related({ ...body, source }, told, signal),
  );
  if (related.isError) return <Failure error={related.error} onRetry={() => void related.refetch()} />;
  if (!related.data) return <LongWait progress={related.progress} what="series" queryKey="related" />;
  const { with: moved, still } = related.data;
  return (
    <div data-testid="related">
      <p>{relatedFinding(related.data)}</p>
      {moved.length > 0 && (
        <table className={classes.related}>
          <thead>
            <tr>
              <th>series</th>
              <th>together</th>
              <th>comes</th>
            </tr>
          </thead>
          <tbody>
            {moved.map((one) => (
              <tr key={JSON.stringify(one.source)}>
                <td>
                  <button type="button" className={classes.name} onClick={() => onAdd(one.source, 'new')}>
                    {one.name}
                  </button>{' '}
                  <span className="soft">{one.service}</span>
                </td>
                <td title={`correlation ${one.correlation.toFixed(3)}`}>
                  <meter
                    min={0}
                    max={1}
                    value={Math.abs(one.correlation)}
                    aria-label={`correlation ${one.correlation.toFixed(2)}`}
                  />
                  {one.correlation < 0 ? ' opposite' : ''}
                </td>
                <td>{lagText(one)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {still.length > 0 && (
        <details className={classes.still}>
          <summary>{still.length} near it stayed as ever</summary>
          <ul className={classes.found}>
            {still.map((one) => (
              <li key={JSON.stringify(one.source)}>
                <button type="button" className={classes.name} onClick={() => onAdd(one.source, 'new')}>
                  {one.name}
                </button>{' '}
                <span className="soft">{one.service}</span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  );
}

const lagText = ({ lag }: MovedWith): string =>
  lag === 0 ? 'at once' : `${duration(Math.abs(lag) * 1000)} ${lag > 0 ? 'later' : 'before'}`;
