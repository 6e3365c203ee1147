import type { Pin } from '@flail/contract';
import { Link } from 'react-router';
import { usePins } from '../api/queries.js';
import { percent } from '../format/numbers.js';
import { dayTime } from '../format/times.js';
import { Thumbnail } from './Thumbnail.js';
import classes from './cases.module.css';

/** What is pinned in the case, each returning to its exact view. */
export function CasePins({ caseId }: { caseId: number }) {
  const pins = usePins(caseId);
  return (
    <aside className={classes.panel} aria-label="Pinned in the case" tabIndex={0}>
      <h2>Pinned</h2>
      {pins.data?.length === 0 && (
        <p className="soft">
          Nothing yet. Press <kbd>p</kbd> on a line or a pattern, or keep a signature, a chart, a change; each
          returns to its exact view.
        </p>
      )}
      {pins.data?.map((pin) => (
        <PinCard key={pin.id} pin={pin} />
      ))}
    </aside>
  );
}

function PinCard({ pin: { kind, title, address, at, note, seen } }: { pin: Pin }) {
  const said = Object.entries(seen ?? {}).filter(
    ([, value]) => typeof value === 'string' || typeof value === 'number',
  );
  return (
    <article className={classes.pin}>
      <p className="soft">
        {kind}, {dayTime(at)}
      </p>
      <Link to={address}>{title}</Link>
      {said.slice(0, 3).map(([name, value]) => (
        <p key={name} className="soft">
          {name}: {typeof value === 'number' && value <= 1 ? percent(value) : String(value)}
        </p>
      ))}
      {note !== '' && <p>{note}</p>}
      <Thumbnail address={address} />
    </article>
  );
}
