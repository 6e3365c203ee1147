import type { OnsetsSearchAnswer } from '@flail/contract';
import { groupName, onsetTime, ROLE_WORDS } from './sentences.js';
import { Reasons } from './Reasons.js';
import classes from './onsets.module.css';

const CANDIDATES = 4;

/** The candidates for where it began, with what speaks for and against each; and what was changed. */
export function Origins({
  answer: { groups, origins, changes },
  onChoose,
}: {
  answer: OnsetsSearchAnswer;
  onChoose: (row: string) => void;
}) {
  return (
    <>
      <h2>Where it may have begun</h2>
      {origins.slice(0, CANDIDATES).map(({ group, role, reasons }, at) => (
        <div key={group} className={classes.origin}>
          <p>
            {at + 1}.{' '}
            <button type="button" className="word" onClick={() => onChoose(String(group))}>
              {groupName(groups[group]!)}
            </button>{' '}
            <span className="soft">
              {onsetTime(groups[group]!.onset)}, {ROLE_WORDS[role]}
            </span>
          </p>
          <ul>
            <Reasons reasons={reasons} />
          </ul>
        </div>
      ))}
      <p className="soft">
        Ranked by the order of onsets, who depends on whom, changes close before, and size. A candidate is no
        proof: what was never measured can not stand here.
      </p>
      <h2>Changed</h2>
      {changes.length === 0 && (
        <p className="soft">Nothing that was told, from half an hour before the focus on.</p>
      )}
      {changes.map(({ id, time, title, service }) => (
        <p key={id}>
          <span className="soft">{onsetTime(time)}</span> {title} <span className="soft">{service}</span>
        </p>
      ))}
    </>
  );
}
