import type { ReadBody, SuspectAnswer, SuspectBody } from '@flail/contract';
import { CloseButton } from '@mantine/core';
import { percent, shortCount } from '../format/numbers.js';
import { secondsText } from '../format/figures.js';
import { Failure } from '../states/States.js';
import { useSuspect } from './queries.js';
import { suspectFinding } from './sentences.js';
import classes from './health.module.css';

interface Props {
  body: ReadBody;
  service: string;
  field: SuspectBody['field'];
  value: string;
  onClose: () => void;
}

/** A suspect and its siblings side by side: does the symptom follow it? */
export function Suspect({ body, service, field, value, onClose }: Props) {
  const answer = useSuspect({ ...body, service, field, value });
  return (
    <section className={classes.suspect} aria-label={`Suspect ${value}`} data-testid="suspect">
      <CloseButton size="sm" className={classes.close} aria-label="Close the comparison" onClick={onClose} />
      <h3>
        Is it {value}? Beside the others of {service}
      </h3>
      {answer.isError ? (
        <Failure error={answer.error} onRetry={() => void answer.refetch()} />
      ) : !answer.data || answer.isPlaceholderData ? (
        <p className="soft">Comparing …</p>
      ) : (
        <>
          <p>{suspectFinding(answer.data, value)}</p>
          <Siblings answer={answer.data} value={value} />
        </>
      )}
    </section>
  );
}

function Siblings({ answer: { siblings }, value }: { answer: SuspectAnswer; value: string }) {
  const most = (of: 'failedShare' | 'slowest'): number =>
    Math.max(1e-6, ...siblings.flatMap((one) => one[of].map((step) => step ?? 0)));
  const [failed, slowest] = [most('failedShare'), most('slowest')];
  return (
    <table className={classes.table}>
      <thead>
        <tr>
          <th />
          <th>calls</th>
          <th>failed</th>
          <th>over the focus</th>
          <th>half under</th>
          <th>95% under</th>
          <th>slowest, over the focus</th>
        </tr>
      </thead>
      <tbody>
        {siblings.map((one) => (
          <tr key={one.name} data-suspect={one.name === value}>
            <td>{one.name}</td>
            <td>{shortCount(one.calls)}</td>
            <td data-bad={one.calls > 0 && one.failed / one.calls > 0.01}>
              {percent(one.calls === 0 ? 0 : one.failed / one.calls)}
            </td>
            <td>
              <Steps values={one.failedShare} most={failed} bad />
            </td>
            <td>{one.p50 === undefined ? '–' : secondsText(one.p50)}</td>
            <td>{one.p95 === undefined ? '–' : secondsText(one.p95)}</td>
            <td>
              <Steps values={one.slowest} most={slowest} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const WIDTH = 144;
const HEIGHT = 18;

/** A figure step by step, all siblings on one scale. */
function Steps({
  values,
  most,
  bad = false,
}: {
  values: readonly (number | null)[];
  most: number;
  bad?: boolean;
}) {
  const step = WIDTH / values.length;
  return (
    <svg width={WIDTH} height={HEIGHT} aria-hidden>
      <line x1={0} x2={WIDTH} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} className={classes.ground} />
      {values.map(
        (value, at) =>
          value !== null &&
          value > 0 && (
            <rect
              key={at}
              x={at * step}
              width={step - 0.8}
              y={HEIGHT - 1 - (value / most) * (HEIGHT - 2)}
              height={(value / most) * (HEIGHT - 2)}
              className={bad ? classes.over : classes.under}
            />
          ),
      )}
    </svg>
  );
}
