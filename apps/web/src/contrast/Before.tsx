import type { ContrastAnswer } from '@flail/contract';
import { useNavigate, useSearchParams } from 'react-router';
import { carriedParameters, writeState } from '../context/view-state.js';
import { plural } from '../format/numbers.js';
import { clockTime } from '../format/times.js';
import { Sentence } from '../patterns/Sentence.js';
import classes from './contrast.module.css';

/** Lines that were new on the way of the first cohort just before it began. */
export function Before({ answer: { early, onset } }: { answer: ContrastAnswer }) {
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  if (onset === undefined)
    return <p className="soft">Nothing went wrong, so that there is no time before it.</p>;
  if (early.length === 0)
    return (
      <p className="soft">No new kind of line came on their way in the three quarters of an hour before.</p>
    );
  const sharing = early.filter(({ shared }) => shared.length > 0);
  return (
    <>
      <p>
        {sharing.length === 0
          ? `New kinds of lines on their way before ${clockTime(onset).slice(0, 8)}; none names what the first cohort has in common. The nearest come first.`
          : `New kinds of lines on their way before ${clockTime(onset).slice(0, 8)}; ${plural(sharing.length, 'of them names', 'of them name')} what the first cohort has in common.`}
      </p>
      {early.map(({ pattern, sentence, service, time, shared }) => (
        <div key={pattern} className={classes.early} data-testid="early">
          <span className="soft">
            {clockTime(time).slice(0, 8)} {service}
          </span>
          <button
            type="button"
            className={classes.line}
            onClick={() => {
              const next = writeState(carriedParameters(parameters), {
                scope: `pattern ${pattern}`,
                focus: { from: Date.parse(time) - 600_000, to: Date.parse(time) + 600_000 },
              });
              void navigate(`/logs?${next.toString()}`, {
                state: {
                  carried: `a line before what went wrong, from ${service}`,
                  back: `${location.pathname}${location.search}`,
                },
              });
            }}
          >
            <Sentence parts={sentence} />
          </button>
          {shared.length > 0 && (
            <span>names {shared.map(({ value, of }) => `${of} ${value}`).join(', ')}</span>
          )}
        </div>
      ))}
      <p className="soft">What they share, and the order in time, is no proof.</p>
    </>
  );
}
