import type { JobTallyBody, RunsTallyAnswer } from '@flail/contract';
import { useElementSize } from '@mantine/hooks';
import { useMemo } from 'react';
import type { Span } from '../context/view-state.js';
import { jobFinding } from './sentences.js';
import { Strokes } from './Strokes.js';
import classes from './runs.module.css';

const NAME = 150;

interface Props {
  tally: RunsTallyAnswer;
  span: Span;
  job: string;
  onJob: (job: string, value: string) => void;
  onRun: (run: string) => void;
}

/** How the runs of each job went, by the parameter that matters, and a stroke for each of them. */
export function Tally({ tally, span, job, onJob, onRun }: Props) {
  const { ref, width } = useElementSize();
  const stuck = useMemo(() => new Set(tally.stuck.map(({ run }) => run)), [tally]);
  return (
    <div ref={ref}>
      {tally.jobs.map((one) => (
        <section key={one.job} className={classes.job} data-testid="tally" data-job={one.job}>
          <p>
            <button
              type="button"
              className="word"
              aria-pressed={job === one.job}
              onClick={() => onJob(job === one.job ? '' : one.job, '')}
            >
              {one.job}
            </button>{' '}
            {jobFinding(one, tally.stuck.filter(({ job: own }) => own === one.job).length)}
          </p>
          {one.lines.map((line) => (
            <div key={line.value} className={classes.line}>
              <button
                type="button"
                className={classes.value}
                data-bad={one.spread.subset.includes(line.value)}
                onClick={() => onJob(one.job, line.value)}
              >
                {line.value === '' ? 'all runs' : line.value}
              </button>
              <Strokes
                line={line}
                span={span}
                width={Math.max(100, width - NAME - 70)}
                stuck={stuck}
                longest={longestOf(one)}
                onRun={onRun}
              />
              <span className={classes.count} title="gone wrong of all">
                {line.failed + line.withErrors} of {line.strokes.length}
              </span>
            </div>
          ))}
        </section>
      ))}
    </div>
  );
}

const longestOf = ({ lines }: JobTallyBody): number =>
  Math.max(1, ...lines.flatMap(({ strokes }) => strokes.map(({ seconds }) => seconds)));
