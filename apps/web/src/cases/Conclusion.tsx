import type { CaseContents } from '@flail/contract';
import { Link } from 'react-router';
import { Revert } from '../changes/Revert.js';
import { useChangeActions } from '../changes/useChangeActions.js';
import classes from './cases.module.css';

/** What the findings come to: causes with what speaks for and against each, remedies, doubt, and what to look at next. */
export function Conclusion({ contents }: { contents: Pick<CaseContents, 'findings' | 'conclusion'> }) {
  const { findings, conclusion } = contents;
  const canRevert = useChangeActions();
  if (!conclusion) return null;
  const { causes, doubt, next } = conclusion;
  return (
    <>
      <h2>What it may be</h2>
      {causes.length === 0 && <p>Nothing that was found points to a cause.</p>}
      {causes.map((cause, at) => (
        <article
          key={cause.text}
          className={classes.cause}
          data-testid="cause"
          data-certainty={cause.certainty}
        >
          <p className={classes.said}>
            {at + 1}. {cause.text} <b>{cause.certainty}</b>
          </p>
          <ul>
            {cause.evidence.map(({ finding, for: speaks }) => (
              <li key={finding} data-for={speaks}>
                <b>{speaks ? 'for' : 'against'}</b>{' '}
                <Link to={findings[finding]?.address ?? '/'}>{findings[finding]?.text}</Link>
              </li>
            ))}
          </ul>
          <p>
            <span className="soft">For now:</span> {cause.temporary} <span className="soft">For good:</span>{' '}
            {cause.lasting}
          </p>
          {cause.change !== undefined && canRevert && at === 0 && (
            <Revert id={cause.change} title={cause.text} />
          )}
        </article>
      ))}
      {doubt.length > 0 && (
        <>
          <h2>What is not known</h2>
          <ul>
            {doubt.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
        </>
      )}
      <h2>What to look at next</h2>
      <ul>
        {next.map((one) => (
          <li key={one}>{one}</li>
        ))}
      </ul>
    </>
  );
}
