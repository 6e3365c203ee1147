import type { LevelName, SourceSummary } from '@flail/contract';
import { IconAlertTriangle } from '@tabler/icons-react';
import { useQueryClient } from '@tanstack/react-query';
import { Fragment } from 'react';
import { useSources } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';
import { byteCount, fullCount, percent, plural, shortCount } from '../format/numbers.js';
import { ago, dayTime } from '../format/times.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import { Failure, Message, Waiting } from '../states/States.js';
import { SourceDetail } from './SourceDetail.js';
import { sourcesFinding } from './finding.js';
import list from '../frame/list.module.css';
import classes from './sources.module.css';

/** Sources that are told of at most. */
const SHOWN = 500;
const LEVELS: LevelName[] = ['fatal', 'error', 'warn', 'info', 'debug', 'trace'];

/** Who sends, in what form, how much, and what is wrong about it. */
export function SourcesView() {
  const [{ dataset }] = useViewState();
  const sources = useSources(dataset);
  const client = useQueryClient();
  const [open, setOpen] = useViewParameter('source', '');
  if (sources.isError) return <Failure error={sources.error} onRetry={() => void sources.refetch()} />;
  if (!sources.data) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['sources'] })} />;
  if (sources.data.length === 0)
    return (
      <Message title="Nobody has sent anything yet">
        <p>
          Bring in files, or send lines to <code>/api/v1/intake/logs</code>, OpenTelemetry to port 4318,
          syslog to port 5514.
        </p>
      </Message>
    );
  const bytes = sources.data.reduce((sum, source) => sum + source.bytes, 0);
  const now = sources.dataUpdatedAt;
  return (
    <section className={classes.view} aria-label="Sources">
      <p className={`${list.finding} ${classes.finding}`} data-testid="finding">
        {sourcesFinding(sources.data)}
        {sources.data.length >= SHOWN && ` Of more than ${SHOWN}, those seen last are shown.`}
      </p>
      <div className={classes.scroller}>
        <table className={classes.table}>
          <thead>
            <tr>
              <th>source</th>
              <th>sends</th>
              <th className={classes.number}>records</th>
              <th className={classes.number}>a second</th>
              <th>levels, last hour</th>
              <th>of all bytes</th>
              <th>reaches back</th>
              <th>last seen</th>
              <th className={classes.number}>not readable</th>
            </tr>
          </thead>
          <tbody>
            {sources.data.map((source) => {
              const key = `${source.signal}/${source.name}`;
              return (
                <Fragment key={key}>
                  <tr className={classes.row} data-open={open === key} data-testid="source">
                    <td>
                      <button
                        type="button"
                        className={classes.name}
                        aria-expanded={open === key}
                        onClick={() => setOpen(open === key ? '' : key)}
                      >
                        {source.name}
                      </button>
                      {source.warnings.length > 0 && (
                        <button
                          type="button"
                          className={`word ${classes.warned}`}
                          title={source.warnings.join(' ')}
                          aria-label={`${source.warnings.join(' ')} See to it.`}
                          onClick={() => setOpen(key)}
                        >
                          <IconAlertTriangle size={14} aria-hidden /> see to it
                        </button>
                      )}
                    </td>
                    <td>{sends(source)}</td>
                    <td className={classes.number} title={fullCount(source.records)}>
                      {shortCount(source.records)}
                    </td>
                    <td className={classes.number}>{source.rate === 0 ? '–' : rateText(source.rate)}</td>
                    <td>
                      <Levels levels={source.levels} />
                    </td>
                    <td>
                      <Share share={bytes === 0 ? 0 : source.bytes / bytes} bytes={source.bytes} />
                    </td>
                    <td>{source.window ? dayTime(source.window.from) : '–'}</td>
                    <td title={source.lastSeen}>{ago(source.lastSeen, now)}</td>
                    <td className={classes.number}>
                      {source.malformed === 0 ? '–' : percent(source.malformed / Math.max(1, source.records))}
                    </td>
                  </tr>
                  {open === key && (
                    <tr>
                      <td colSpan={9} className={classes.detail}>
                        <SourceDetail source={source} />
                      </td>
                    </tr>
                  )}
                </Fragment>
              );
            })}
          </tbody>
        </table>
      </div>
    </section>
  );
}

const sends = ({ signal, format, corrected }: SourceSummary): string =>
  signal === 'spans'
    ? 'spans'
    : `${format === 'json' ? 'JSON' : format} lines${corrected ? ', as you said' : ''}`;

const rateText = (rate: number): string =>
  rate < 10 ? rate.toFixed(rate < 1 ? 2 : 1) : shortCount(Math.round(rate));

/** Counts by level, the worst first. */
function Levels({ levels }: { levels: SourceSummary['levels'] }) {
  const present = LEVELS.filter((level) => (levels[level] ?? 0) > 0);
  if (present.length === 0) return <span className={classes.none}>none</span>;
  return (
    <span className={classes.levels}>
      {present.map((level) => (
        <span key={level} title={plural(levels[level]!, `record at ${level}`, `records at ${level}`)}>
          <LevelLetter level={level} /> {shortCount(levels[level]!)}
        </span>
      ))}
    </span>
  );
}

/** A share as a bar with its number. */
const Share = ({ share, bytes }: { share: number; bytes: number }) => (
  <span className={classes.share} title={byteCount(bytes)}>
    <span className={classes.bar}>
      <span style={{ width: `${share * 100}%` }} />
    </span>
    {percent(share)}
  </span>
);
