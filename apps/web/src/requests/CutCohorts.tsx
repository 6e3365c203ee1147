import type { RequestsSearchAnswer } from '@flail/contract';
import { ContrastLink } from '../contrast/ContrastLink.js';
import { secondsText } from '../format/figures.js';
import { countText } from './sentences.js';
import { useRequestsAsked } from './useRequestsAsked.js';
import classes from './requests.module.css';

/** The requests beyond the two lines that were drawn, to be looked at or told apart. */
export function CutCohorts({ cohorts }: { cohorts: NonNullable<RequestsSearchAnswer['cohorts']> }) {
  const { slower, faster, cut, cohort, setCohort, ofOperation } = useRequestsAsked();
  const lines = { slower, faster };
  return (
    <p className={classes.cohorts}>
      {(['slower', 'faster'] as const).map((which) => {
        const seconds = lines[which];
        return (
          seconds !== undefined && (
            <button
              key={which}
              type="button"
              className={`word ${classes.cohort}`}
              aria-pressed={cohort === which}
              onClick={() => setCohort(cohort === which ? '' : which)}
            >
              {countText(cohorts[which])} {which} than {secondsText(seconds)}
            </button>
          )
        );
      })}
      <ContrastLink
        cohorts={{
          ...(slower !== undefined && { slower: String(slower) }),
          ...(faster !== undefined && { faster: String(faster) }),
          ...ofOperation,
        }}
        words="tell the two apart"
      />
      <button
        type="button"
        className="word"
        onClick={() => {
          cut('slower', undefined);
          cut('faster', undefined);
          setCohort('');
        }}
      >
        take the lines away
      </button>
    </p>
  );
}
