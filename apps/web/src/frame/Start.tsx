import type { ExcessPeriod } from '@flail/contract';
import { FLOOD_PER_SECOND } from '../api/arrivals.js';
import { useExcess, useHeld } from '../api/queries.js';
import { type Span, type StateChange, useViewState } from '../context/view-state.js';
import { percent, shortCount } from '../format/numbers.js';
import { dayTime, duration } from '../format/times.js';
import classes from './frame.module.css';
import { useGrowth } from './growth.js';

const HOUR = 3_600_000;

/** Where to begin: what stands out in what is held, one click away; or how to bring something in. */
export function Start({ onBringIn }: { onBringIn: () => void }) {
  const [state, change] = useViewState();
  const held = useHeld().data;
  const rate = useGrowth(held?.records);
  const excess = useExcess(state.dataset, held?.records ?? 0);
  if (!held) return null;
  if (!held.span) {
    return (
      <div className={classes.start}>
        <p>
          Nothing is held yet. <b>Drop log files anywhere on this window</b>, or{' '}
          <button type="button" className="word" onClick={onBringIn}>
            choose them
          </button>
          .
        </p>
      </div>
    );
  }
  if (state.focus) return null;
  const soFar = rate > FLOOD_PER_SECOND && (
    <p className="soft" role="status">
      Records are still coming in, {shortCount(rate)} a second; so far they reach from{' '}
      {dayTime(held.span.from)} to {dayTime(held.until)}.
    </p>
  );
  const period = excess.data?.periods[0];
  const to = held.until;
  return (
    <div className={classes.start}>
      {soFar}
      {period ? (
        <p>
          {excessSentence(period)}{' '}
          <button
            type="button"
            className="word"
            data-testid="focus-excess"
            onClick={() => change(focusOn(period, held.span))}
          >
            focus on it
          </button>
        </p>
      ) : (
        excess.data && <p>Errors stand out at no time that is held.</p>
      )}
      <p className="soft">
        Draw a bad time on the timeband, or take the{' '}
        <button type="button" className="word" onClick={() => change({ focus: { from: to - HOUR, to } })}>
          last hour
        </button>
      </p>
    </div>
  );
}

/** Times its own length before and behind a period that the timeband shows, so that it is wide enough to be taken hold of. */
const BEFORE = 6;
const BEHIND = 1;

/** Sets the focus on a period, and brings the timeband near it. */
function focusOn(period: ExcessPeriod, held: Span | undefined): StateChange {
  const focus = {
    from: Math.floor(Date.parse(period.window.from)),
    to: Math.ceil(Date.parse(period.window.to)),
  };
  const length = focus.to - focus.from;
  const band = {
    from: Math.max(held?.from ?? -Infinity, focus.from - BEFORE * length),
    to: Math.min(held?.to ?? Infinity, focus.to + BEHIND * length),
  };
  return { focus, band };
}

/** When errors stood out, how much, and against what. */
export function excessSentence(period: ExcessPeriod): string {
  const share = percent(period.errors / period.total);
  const usual = `${percent(period.usual)} at other times`;
  const from = Date.parse(period.window.from);
  if (period.goesOn)
    return `Since ${dayTime(from)}, ${share} of records are errors, against ${usual}. It goes on.`;
  return `From ${dayTime(from)}, for ${duration(Date.parse(period.window.to) - from)}, ${share} of records were errors, against ${usual}.`;
}
