import type { PatternSummary } from '@flail/contract';
import type { ReactNode } from 'react';
import { fullCount } from '../format/numbers.js';
import { dayTime } from '../format/times.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import { liftWords } from '../paired/lift.js';
import { Paired, Trend } from '../paired/Paired.js';
import { Sentence, sentenceText } from './Sentence.js';
import list from '../frame/list.module.css';
import classes from './patterns.module.css';

interface Props {
  row: PatternSummary;
  start: number;
  height: number;
  /** Count that fills the width of a bar. */
  most: number;
  against: boolean;
  selected: boolean;
  chosen: boolean;
  onChoose: () => void;
  onOpen: () => void;
  onLines: () => void;
  onOnly: () => void;
  onWithout: () => void;
  onMute: () => void;
  /** Says how it is grouped, and offers to join or split it. */
  grouping: ReactNode;
}

/** A pattern in the list: its counts in both windows, how it changed, its sentence. */
export function PatternRow(props: Props) {
  const { row, start, height, most, against, selected, chosen } = props;
  return (
    <div
      role="listitem"
      className={`${list.row} ${classes.row}`}
      style={{ transform: `translateY(${start}px)`, height }}
      data-selected={selected}
      data-testid="pattern"
    >
      <input
        type="checkbox"
        className={classes.choose}
        checked={chosen}
        aria-label={`Choose ${sentenceText(row.sentence)}`}
        onChange={props.onChoose}
      />
      <LevelLetter level={row.level} />
      <Paired
        focus={row.focus}
        expected={against ? row.expected : undefined}
        baseline={row.baseline}
        most={most}
      />
      <span
        className={classes.lift}
        data-change={row.change}
        title={`Surprise ${row.surprise.toFixed(1)} bits; ${fullCount(row.baseline)} in the baseline, ${fullCount(row.earlier)} in all the time before the focus`}
      >
        {liftWords(row)}
      </span>
      <Trend focus={row.trend} baseline={row.baselineTrend} />
      <div className={classes.what}>
        <button type="button" className={classes.open} onClick={props.onOpen} title="Look at it closely">
          {row.name !== undefined && <b>{row.name}: </b>}
          <Sentence parts={row.sentence} />
        </button>
        <span className={classes.services}>
          {row.mark && <b>{row.mark.kind} · </b>}
          {servicesText(row)}
        </span>
      </div>
      <span className={classes.seen} title={`${row.firstSeen} – ${row.lastSeen}`}>
        {dayTime(row.firstSeen)}
      </span>
      <span className={classes.actions}>
        <button type="button" className="word" onClick={props.onOnly}>
          only
        </button>
        <button type="button" className="word" onClick={props.onWithout}>
          without
        </button>
        <button type="button" className="word" onClick={props.onMute}>
          mute
        </button>
        <button type="button" className="word" onClick={props.onLines}>
          lines
        </button>
        {props.grouping}
      </span>
    </div>
  );
}

/** The services that say it, the commonest first. */
function servicesText({ services }: PatternSummary): string {
  const shown = services.slice(0, 3).join(', ');
  return services.length > 3 ? `${shown} and ${services.length - 3} more` : shown;
}
