import type { HealthAnswer, ObjectiveState, ReadBody } from '@flail/contract';
import { lazy, Suspense, useState } from 'react';
import { fullCount } from '../format/numbers.js';
import { duration } from '../format/times.js';
import { objectiveFinding } from './sentences.js';
import classes from './health.module.css';

const EditObjective = lazy(() => import('./EditObjective.js'));

interface Props {
  health: HealthAnswer;
  /** What the view is of; an objective may be of any operation in it. */
  body: ReadBody;
}

/** Objectives with their error budget, and how fast it burns over short and long windows. */
export function Objectives({ health, body }: Props) {
  const [edited, setEdited] = useState<ObjectiveState['objective'] | 'new'>();
  return (
    <section className={classes.part}>
      <h3>
        What is promised{' '}
        <button type="button" className="word" onClick={() => setEdited('new')}>
          add an objective
        </button>
      </h3>
      {health.objectives.map((state) => (
        <div key={state.objective.id} className={classes.objective} data-testid="objective">
          <p>
            {objectiveFinding(state)}{' '}
            <button type="button" className="word" onClick={() => setEdited(state.objective)}>
              change
            </button>
          </p>
          <div className={classes.burns}>
            {state.burns.map(({ seconds, rate, failed, all }) => (
              <span
                key={seconds}
                data-fast={rate > 1}
                title={`${fullCount(Math.round(failed))} of ${fullCount(Math.round(all))} failed; 1 uses the budget up just at the end of the period`}
              >
                {duration(seconds * 1000)} <b>×{rate < 10 ? rate.toFixed(1) : Math.round(rate)}</b>
              </span>
            ))}
          </div>
        </div>
      ))}
      {edited !== undefined && (
        <Suspense fallback={null}>
          <EditObjective
            objective={edited === 'new' ? undefined : edited}
            body={body}
            onClose={() => setEdited(undefined)}
          />
        </Suspense>
      )}
    </section>
  );
}
