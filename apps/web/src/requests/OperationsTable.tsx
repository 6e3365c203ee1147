import type { OperationBody, RequestsSearchAnswer } from '@flail/contract';
import { percent } from '../format/numbers.js';
import { Paired } from '../paired/Paired.js';
import { secondsText } from '../format/figures.js';
import classes from './requests.module.css';

interface Props {
  answer: RequestsSearchAnswer;
  chosen: { service: string; operation: string };
  onChoose: (service: string, operation: string) => void;
}

/** Operations with their figures, the baseline's beside them; then the mix of statuses. */
export function OperationsTable({ answer, chosen, onChoose }: Props) {
  const { operations, statuses, focus, baseline } = answer;
  const ratio = baseline && baseline.all.count > 0 ? focus.all.count / baseline.all.count : 0;
  const most = Math.max(1, ...operations.map((row) => Math.max(row.focus.requests, row.baseline.requests)));
  const mostOf = Math.max(1, ...statuses.map((row) => Math.max(row.focus, row.baseline * ratio)));
  return (
    <div className={classes.side}>
      <table className={classes.operations} data-testid="operations">
        <thead>
          <tr>
            <th>operation</th>
            <th>requests</th>
            <th>failed</th>
            <th title="Half are under this">p50</th>
            <th title="95% are under this">p95</th>
          </tr>
        </thead>
        <tbody>
          {operations.map((row) => (
            <Row
              key={`${row.service} ${row.operation}`}
              row={row}
              most={most}
              against={baseline !== undefined}
              open={row.service === chosen.service && row.operation === chosen.operation}
              onChoose={onChoose}
            />
          ))}
        </tbody>
      </table>
      {statuses.length > 0 && (
        <div className={classes.statuses}>
          {statuses.slice(0, 8).map(({ status, focus: count, baseline: before }) => (
            <div key={status} className={classes.status} data-bad={status >= 500}>
              <span>{status}</span>
              <Paired
                focus={Math.round(count)}
                baseline={Math.round(before)}
                expected={ratio > 0 ? before * ratio : undefined}
                most={mostOf}
                width={70}
              />
            </div>
          ))}
        </div>
      )}
    </div>
  );
}

function Row({
  row,
  most,
  against,
  open,
  onChoose,
}: {
  row: OperationBody;
  most: number;
  against: boolean;
  open: boolean;
  onChoose: Props['onChoose'];
}) {
  const { service, operation, focus, baseline, failsOtherwise } = row;
  const share = (figures: typeof focus): number =>
    figures.requests === 0 ? 0 : figures.failed / figures.requests;
  const time = (value: number | undefined): string => (value === undefined ? '–' : secondsText(value));
  return (
    <tr data-selected={open}>
      <td>
        <button
          type="button"
          className={classes.operation}
          aria-pressed={open}
          onClick={() => (open ? onChoose('', '') : onChoose(service, operation))}
        >
          <span>{operation}</span> <span className="soft">{service}</span>
        </button>
      </td>
      <td>
        <Paired
          focus={Math.round(focus.requests)}
          baseline={Math.round(baseline.requests)}
          expected={against ? baseline.requests : undefined}
          most={most}
          width={44}
        />
      </td>
      <td data-bad={failsOtherwise && share(focus) > share(baseline)}>
        {percent(share(focus))}
        {against && <span className={classes.was}>was {percent(share(baseline))}</span>}
      </td>
      <td>
        {time(focus.p50)}
        {against && <span className={classes.was}>was {time(baseline.p50)}</span>}
      </td>
      <td>
        {time(focus.p95)}
        {against && <span className={classes.was}>was {time(baseline.p95)}</span>}
      </td>
    </tr>
  );
}
