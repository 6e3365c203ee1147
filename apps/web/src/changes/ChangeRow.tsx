import { memo } from 'react';
import { dayTime } from '../format/times.js';
import { byOf, KIND_GLYPHS, type Row, stepOf } from './changes.js';
import classes from './changes.module.css';

interface Props {
  row: Row;
  selected: boolean;
  /** What moved first after it, in words. */
  then: string;
  /** Chosen, or no longer. */
  onChoose: (id: string) => void;
}

/** A change as a row of the list. */
export const ChangeRow = memo(function ChangeRow({ row, selected, then, onChoose }: Props) {
  const { time, kind, title, entity, brought } = row;
  const step = stepOf(row);
  return (
    <tr data-selected={selected} data-testid="change">
      <td className={classes.glyph} title={kind}>
        {KIND_GLYPHS[kind] ?? '·'}
      </td>
      <td className={classes.time}>{dayTime(time)}</td>
      <td>
        <button
          type="button"
          className={classes.open}
          aria-expanded={selected}
          onClick={() => onChoose(selected ? '' : row.id)}
        >
          {title}
        </button>
        {brought.length > 0 && (
          <span className="soft">
            {' '}
            with {brought.length === 1 ? 'a restart' : `${brought.length} restarts`}
          </span>
        )}
        {step && !title.includes('→') && <span className="soft"> {`${step.from} → ${step.to}`}</span>}
      </td>
      <td className="soft">
        {[entity.instance ?? entity.service, entity.host].filter(Boolean).join(' on ')}
      </td>
      <td className="soft">{byOf(row)}</td>
      <td className={classes.then}>{then}</td>
    </tr>
  );
});
