import type { LogRecord } from '@flail/contract';
import { quoteValue } from '@flail/core/expression';
import { CloseButton, CopyButton } from '@mantine/core';
import { LevelLetter } from '../paired/LevelLetter.js';
import type { Highlight } from './highlights.js';
import { LineText } from './LineText.js';
import classes from './logs.module.css';

interface Props {
  record: LogRecord;
  highlights?: readonly Highlight[];
  onClose: () => void;
  onOnly: (term: string) => void;
  onWithout: (term: string) => void;
  onAround: () => void;
  onRegularity: () => void;
  onPin: () => void;
  /** Shows all records of a trace or a run. */
  onAll: (field: string, value: string) => void;
}

const termOf = (name: string, value: string): string =>
  name === 'level' && value === 'unset' ? 'level = unset' : `${name} = ${quoteValue(value)}`;

/** The fields that tie a record to others. */
const TIES = ['trace', 'run'] as const;

/** A whole record: its text, its fields, and the line as it was received. */
export function RecordPanel(props: Props) {
  const { record, highlights, onClose, onOnly, onWithout, onAround, onRegularity, onPin, onAll } = props;
  const fields = Object.entries({
    level: record.level,
    service: record.service,
    source: record.source,
    ...record.fields,
  });
  const { time, level, service, source, text } = record;
  const json = JSON.stringify({ time, level, service, source, text, ...record.fields }, null, 2);
  const expression = `pattern ${record.pattern} and ${termOf('service', service)}`;
  return (
    <aside className={classes.panel} aria-label="Record">
      <div className={classes.panelHead}>
        <LevelLetter level={level} />
        <time dateTime={time}>{time.replace('T', ' ').replace('Z', ' UTC')}</time>
        <CloseButton size="sm" ml="auto" aria-label="Close the record" onClick={onClose} />
      </div>
      <div className={classes.panelText}>
        <LineText record={record} whole {...(highlights && { highlights })} />
      </div>
      <p className={classes.panelActions}>
        <button type="button" className="word" onClick={onAround}>
          records around it
        </button>
        {TIES.map((tie) => {
          const value = record.fields[tie];
          return (
            value !== undefined && (
              <button key={tie} type="button" className="word" onClick={() => onAll(tie, value)}>
                all of its {tie}
              </button>
            )
          );
        })}
        <button type="button" className="word" onClick={onPin}>
          pin
        </button>
      </p>
      <p className={classes.panelActions}>
        Its pattern:
        <button type="button" className="word" onClick={() => onOnly(`pattern ${record.pattern}`)}>
          only
        </button>
        <button type="button" className="word" onClick={() => onWithout(`pattern ${record.pattern}`)}>
          without
        </button>
        <button type="button" className="word" onClick={onRegularity}>
          regularity
        </button>
      </p>
      <dl className={classes.fields}>
        {fields.map(([name, value]) => (
          <div key={name} className={classes.field}>
            <dt>{name}</dt>
            <dd className="mono">{value}</dd>
            <span className={classes.fieldActions}>
              <button
                type="button"
                className="word"
                aria-label={`Only ${name} ${value}`}
                onClick={() => onOnly(termOf(name, value))}
              >
                only
              </button>
              <button
                type="button"
                className="word"
                aria-label={`Without ${name} ${value}`}
                onClick={() => onWithout(termOf(name, value))}
              >
                without
              </button>
            </span>
          </div>
        ))}
      </dl>
      <p className={classes.panelActions}>
        Copy
        <Copy value={record.line} word="as received" />
        <Copy value={text} word="text" />
        <Copy value={json} word="JSON" />
        <Copy value={expression} word="expression" />
      </p>
      <pre className={classes.raw}>{record.line}</pre>
    </aside>
  );
}

const Copy = ({ value, word }: { value: string; word: string }) => (
  <CopyButton value={value}>
    {({ copy, copied }) => (
      <button type="button" className="word" onClick={copy}>
        {copied ? 'copied' : word}
      </button>
    )}
  </CopyButton>
);
