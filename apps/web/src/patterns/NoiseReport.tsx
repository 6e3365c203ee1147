import type { NoiseRow, ReadBody } from '@flail/contract';
import { csvLine } from '@flail/core/table';
import { CopyButton } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useNoise } from '../api/queries.js';
import { saveText } from '../export/save.js';
import { byteCount, fullCount, percent, plural } from '../format/numbers.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import { Failure, MissingNote, Waiting } from '../states/States.js';
import { Sentence, sentenceText } from './Sentence.js';
import classes from './noise.module.css';

/** What lines cost, by pattern and source, and what leaving them out would save. */
export default function NoiseReport({ body, onMute }: { body: ReadBody; onMute: (row: NoiseRow) => void }) {
  const noise = useNoise(body, true);
  const client = useQueryClient();
  if (noise.isError) return <Failure error={noise.error} onRetry={() => void noise.refetch()} />;
  if (!noise.data) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['noise'] })} />;
  const { rows, bytes, more, missing } = noise.data;
  return (
    <div className={classes.report} data-testid="noise" data-stale={noise.isPlaceholderData}>
      <MissingNote missing={missing} />
      <table className={classes.table}>
        <thead>
          <tr>
            <th />
            <th>of all bytes</th>
            <th>bytes</th>
            <th>lines</th>
            <th>pattern, by source</th>
            <th>why it may go</th>
            <th>saves a day</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={`${row.pattern} ${row.source}`} data-testid="noise-row">
              <td>
                <LevelLetter level={row.level} />
              </td>
              <td>
                <span className={classes.bar}>
                  <span style={{ width: `${(100 * row.bytes) / Math.max(1, bytes)}%` }} />
                </span>
                {percent(row.bytes / Math.max(1, bytes))}
              </td>
              <td title={row.measured ? 'every line measured' : 'told from a sample of its lines'}>
                {row.measured ? '' : 'about '}
                {byteCount(row.bytes)}
              </td>
              <td>{fullCount(row.records)}</td>
              <td className={classes.pattern}>
                <Sentence parts={row.sentence} /> <span className="soft">{row.source}</span>
              </td>
              <td className={classes.why}>{row.reasons.join('; ')}</td>
              <td>{row.reasons.length > 0 ? byteCount(row.savedPerDay) : ''}</td>
              <td className={classes.words}>
                <CopyButton value={row.filter}>
                  {({ copy, copied }) => (
                    <button
                      type="button"
                      className="word"
                      title={`A regular expression (RE2) for the text of these lines: ${row.filter}`}
                      onClick={copy}
                    >
                      {copied ? 'copied' : 'copy filter'}
                    </button>
                  )}
                </CopyButton>
                <button type="button" className="word" onClick={() => onMute(row)}>
                  mute
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="soft">
        {more > 0 && `${plural(more, 'row')}, smaller or muted, not shown. `}
        <button type="button" className="word" onClick={() => saveText('noise.csv', csvOf(rows), 'text/csv')}>
          save as CSV
        </button>
        <button
          type="button"
          className="word"
          onClick={() => saveText('sender-filter.txt', filterText(rows), 'text/plain')}
        >
          save a sender filter of those that may go
        </button>
      </p>
    </div>
  );
}

const csvOf = (rows: readonly NoiseRow[]): string =>
  [
    [
      'pattern',
      'sentence',
      'source',
      'level',
      'records',
      'bytes',
      'measured',
      'repeated',
      'saved per day',
      'reasons',
      'filter',
    ],
    ...rows.map((row) => [
      row.pattern,
      sentenceText(row.sentence),
      row.source,
      row.level,
      String(row.records),
      String(row.bytes),
      row.measured ? 'yes' : 'from a sample',
      row.repeated.toFixed(3),
      String(row.savedPerDay),
      row.reasons.join('; '),
      row.filter,
    ]),
  ]
    .map(csvLine)
    .join('');

/** The filters of a sender, one regular expression a line under the source that it is for. */
function filterText(rows: readonly NoiseRow[]): string {
  const bySource = new Map<string, NoiseRow[]>();
  for (const row of rows) {
    if (row.reasons.length === 0) continue;
    const own = bySource.get(row.source);
    if (own) own.push(row);
    else bySource.set(row.source, [row]);
  }
  return [...bySource]
    .map(
      ([source, own]) =>
        `# ${source}: leave out lines whose text matches (RE2)\n${own.map(({ filter }) => `^${filter}$`).join('\n')}\n`,
    )
    .join('\n');
}
