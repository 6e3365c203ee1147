import { useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { carriedParameters, useViewState, writeState } from '../context/view-state.js';
import { dayTime } from '../format/times.js';
import { usePinning } from '../pins/usePinning.js';
import { byOf, type Row, stepOf } from './changes.js';
import { Revert } from './Revert.js';
import classes from './changes.module.css';

const MINUTE = 60_000;

/** A change in full, with where it leads on. */
export function ChosenChange({
  row,
  then,
  canRevert,
}: {
  row: Row;
  /** What moved first after it, in words. */
  then: string;
  canRevert: boolean;
}) {
  const [, change] = useViewState();
  const [parameters] = useSearchParams();
  const [all, setAll] = useState(false);
  const navigate = useNavigate();
  const pin = usePinning();
  const { time, title, kind, source, entity, details, brought } = row;
  const step = stepOf(row);
  const around = { from: Date.parse(time) - 10 * MINUTE, to: Date.parse(time) + 30 * MINUTE };
  const go = (path: string): void => {
    const next = writeState(carriedParameters(parameters), { focus: around });
    void navigate(`${path}?${next.toString()}`, {
      state: { carried: `${dayTime(time)}, ${title}`, back: `${location.pathname}${location.search}` },
    });
  };
  return (
    <aside className={classes.panel} aria-label="The change in full" data-testid="change-detail" tabIndex={0}>
      <h2>{title}</h2>
      <p className="soft">
        {kind}, {dayTime(time)}
        {byOf(row) !== '' && `, by ${byOf(row)}`}, told by {source}
      </p>
      {step && (
        <p className={classes.diff}>
          <span className="mono">{step.key}</span>
          <del>{step.from}</del> <ins>{step.to}</ins>
        </p>
      )}
      {then !== '' && <p>It came {then}. That is an order in time, no proof.</p>}
      <p>
        <button type="button" className="word" onClick={() => change({ focus: around })}>
          focus around it
        </button>
        <button type="button" className="word" onClick={() => go('/onsets')}>
          what moved after it
        </button>
        <button type="button" className="word" onClick={() => go('/patterns')}>
          what the logs said
        </button>
        <button
          type="button"
          className="word"
          onClick={() =>
            pin({ kind: 'change', title, seen: { time, ...(step && { from: step.from, to: step.to }) } })
          }
        >
          pin
        </button>
      </p>
      {canRevert && <Revert id={row.id} title={title} />}
      <table className={classes.facts}>
        <tbody>
          {Object.entries(entity).map(([name, value]) => (
            <tr key={name}>
              <td className="soft">{name}</td>
              <td>{value}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {brought.length > 0 && (
        <>
          <h2>It brought about</h2>
          {brought.map((one) => (
            <p key={one.id}>
              <span className="soft">{dayTime(one.time)}</span> {one.title}
            </p>
          ))}
        </>
      )}
      <button type="button" className="word" onClick={() => setAll(!all)} aria-expanded={all}>
        as it was told
      </button>
      {all && <pre className={classes.raw}>{JSON.stringify(details, null, 2)}</pre>}
    </aside>
  );
}
