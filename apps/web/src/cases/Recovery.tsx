import type { CaseContents } from '@flail/contract';
import { useQuery } from '@tanstack/react-query';
import { api } from '../api/client.js';
import { percent } from '../format/numbers.js';
import { useElementSize } from '@mantine/hooks';
import { Failure } from '../states/States.js';
import { recoveryFinding } from './sentences.js';
import classes from './cases.module.css';

const REFRESH_MS = 10_000;
const HEIGHT = 56;

/** Whether what failed has ended, watched against the baseline while the case is open. */
export function Recovery({
  contents: { window, baseline, dataset, scope, job, status },
}: {
  contents: CaseContents;
}) {
  const body = { dataset, window: window!, baseline: baseline!, scope, ...(job !== '' && { job }) };
  const recovery = useQuery({
    queryKey: ['recovery', body],
    queryFn: ({ signal }) => api.recovery(body, signal),
    refetchInterval: status === 'closed' ? false : REFRESH_MS,
  });
  const { ref, width } = useElementSize();
  if (recovery.isError) return <Failure error={recovery.error} onRetry={() => void recovery.refetch()} />;
  if (!recovery.data) return <p className="soft">Looking whether it has ended.</p>;
  const { values, since, from, step } = recovery.data;
  const most = Math.max(0.01, ...values.map((value) => value ?? 0));
  const wide = width / Math.max(1, values.length);
  const x = since === undefined ? undefined : ((Date.parse(since) - Date.parse(from)) / 1000 / step) * wide;
  return (
    <div className={classes.recovery} data-testid="recovery" data-state={recovery.data.state}>
      <p className={classes.said}>{recoveryFinding(recovery.data, job)}</p>
      <div ref={ref}>
        <svg
          width={width}
          height={HEIGHT}
          role="img"
          aria-label={`Share that fails since the focus began, at most ${percent(most)}`}
        >
          {x !== undefined && (
            <rect x={x} width={Math.max(0, width - x)} y={0} height={HEIGHT} className={classes.well} />
          )}
          {values.map((value, at) =>
            value === null ? null : (
              <rect
                key={at}
                x={at * wide}
                width={Math.max(1, wide - 0.5)}
                y={HEIGHT - (value / most) * (HEIGHT - 2)}
                height={(value / most) * (HEIGHT - 2)}
                className={classes.bad}
              />
            ),
          )}
        </svg>
      </div>
      <p className="soft">
        Share of {job === '' ? 'requests that fail' : `runs of ${job} that go wrong`} by step since the focus
        began, up to now. Recovered: over five steps and thirty {job === '' ? 'requests' : 'runs'} it can not
        be told from the baseline (p above 5%), and no single step is above it.
      </p>
    </div>
  );
}
