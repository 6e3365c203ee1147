import type { LogRecord } from '@flail/contract';
import { narrow, quoteValue } from '@flail/core/expression';
import { CloseButton, CopyButton } from '@mantine/core';
import { useViewState } from '../context/view-state.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import { LineText } from './LineText.js';
import classes from './logs.module.css';

interface Props {
  record: LogRecord;
  onClose: () => void;
  onOnly: () => void;
  onWithout: () => void;
}

/** A whole record: its text, its fields, and the line as it was received. */
export function RecordPanel({ record, onClose, onOnly, onWithout }: Props) {
  const [state, change] = useViewState();
  const fields = Object.entries({
    level: record.level,
    service: record.service,
    source: record.source,
    ...record.fields,
  });
  const term = (name: string, value: string): string =>
    name === 'level' && value === 'unset' ? 'level = unset' : `${name} = ${quoteValue(value)}`;
  return (
    <aside className={classes.panel} aria-label="Record">
      <div className={classes.panelHead}>
        <LevelLetter level={record.level} />
        <time dateTime={record.time}>{record.time.replace('T', ' ').replace('Z', ' UTC')}</time>
        <CloseButton size="sm" ml="auto" aria-label="Close the record" onClick={onClose} />
      </div>
      <div className={classes.panelText}>
        <LineText record={record} whole />
      </div>
      <p className={classes.panelActions}>
        Its pattern:
        <button type="button" className="word" onClick={onOnly}>
          only
        </button>
        <button type="button" className="word" onClick={onWithout}>
          without
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
                onClick={() => change({ scope: narrow(state.scope, term(name, value)) })}
              >
                only
              </button>
              <button
                type="button"
                className="word"
                aria-label={`Without ${name} ${value}`}
                onClick={() => change({ scope: narrow(state.scope, term(name, value), true) })}
              >
                without
              </button>
            </span>
          </div>
        ))}
      </dl>
      <p className={classes.panelActions}>
        As received
        <CopyButton value={record.line}>
          {({ copy, copied }) => (
            <button type="button" className="word" onClick={copy}>
              {copied ? 'copied' : 'copy'}
            </button>
          )}
        </CopyButton>
      </p>
      <pre className={classes.raw}>{record.line}</pre>
    </aside>
  );
}
