import type { ValueDifferenceBody } from '@flail/contract';
import { liftText } from './lift.js';
import { Paired } from './Paired.js';
import classes from './value-row.module.css';

interface Props {
  value: ValueDifferenceBody;
  /** What the value is of, for who can't see where it stands. */
  field: string;
  /** Stretches a count of the baseline to the length of the focus; nought where there is no baseline. */
  ratio: number;
  /** Count that fills the width of a bar. */
  most: number;
  onOnly: () => void;
  onWithout: () => void;
}

/** One value of a field or slot: how often in both windows, how that changed, and the two words that narrow. */
export function ValueRow({ value, field, ratio, most, onOnly, onWithout }: Props) {
  return (
    <div className={classes.value}>
      <span className={classes.text} title={value.value}>
        {value.value}
      </span>
      <Paired
        focus={value.focus}
        baseline={value.baseline}
        expected={ratio === 0 ? undefined : value.baseline * ratio}
        most={most}
        width={54}
      />
      <span className={classes.lift} data-significant={value.significant}>
        {liftText(value)}
      </span>
      <span className={classes.words}>
        <button type="button" className="word" aria-label={`Only ${field} ${value.value}`} onClick={onOnly}>
          only
        </button>
        <button
          type="button"
          className="word"
          aria-label={`Without ${field} ${value.value}`}
          onClick={onWithout}
        >
          without
        </button>
      </span>
    </div>
  );
}
