import type { ChecksAnswer, WindowBody } from '@flail/contract';
import { percent } from '../format/numbers.js';
import { dayTime } from '../format/times.js';
import { Failure } from '../states/States.js';
import { useChecks } from './queries.js';
import classes from './health.module.css';

interface Props {
  dataset: string;
  window: WindowBody;
  /** Whether it is asked for already. */
  settled: boolean;
}

/** Standing risks in plain words, and what checks from outside met with over a day. */
export function Standing({ dataset, window, settled }: Props) {
  const checks = useChecks(dataset, window, settled);
  if (checks.isError) return <Failure error={checks.error} onRetry={() => void checks.refetch()} />;
  if (!checks.data) return <p className="soft">Looking at what stands …</p>;
  const failed = checks.data.checks.filter(({ passed }) => !passed);
  const passed = checks.data.checks.filter((check) => check.passed);
  return (
    <>
      <section className={classes.part} data-testid="checks">
        <h3>
          Standing risks: {failed.length} of {checks.data.checks.length} checks not passed
        </h3>
        {failed.map(({ name, finding, todo }) => (
          <p key={name} className={classes.check}>
            <b>Not passed</b> {finding} <span className="soft">{todo}</span>
          </p>
        ))}
        {passed.map(({ name, finding }) => (
          <p key={name} className={classes.check} data-passed="true">
            <span>Passed</span> {finding}
          </p>
        ))}
      </section>
      {checks.data.availability.lines.length > 0 && <Availability {...checks.data.availability} />}
    </>
  );
}

function Availability({ from, step, lines }: ChecksAnswer['availability']) {
  return (
    <section className={classes.part}>
      <h3>Tried from outside, 24 hours</h3>
      {lines.map(({ name, values }) => {
        const known = values.filter((one) => one !== null);
        const share = known.reduce((sum, one) => sum + one, 0) / Math.max(1, known.length);
        return (
          <div key={name} className={classes.available}>
            <span>{name}</span>
            <span className={classes.cells}>
              {values.map((value, at) => (
                <i
                  key={at}
                  data-state={value === null ? 'none' : value > 0.99 ? 'up' : value > 0.5 ? 'part' : 'down'}
                  title={`${dayTime(Date.parse(from) + at * step * 1000)}: ${value === null ? 'not tried' : `${percent(value)} went well`}`}
                />
              ))}
            </span>
            <b>{percent(share)}</b>
          </div>
        );
      })}
    </section>
  );
}
