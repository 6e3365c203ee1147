import { CopyButton, Progress, Skeleton } from '@mantine/core';
import type { CountAnswer, MissingRecords } from '@flail/contract';
import type { ReactNode } from 'react';
import { ApiError } from '../api/client.js';
import { useViewState } from '../context/view-state.js';
import { useHeld } from '../api/queries.js';
import { plural } from '../format/numbers.js';
import { dayTime } from '../format/times.js';
import { useLong } from './useLong.js';
import classes from './states.module.css';

/** While an answer is on its way: lines where rows will be, and after a second a word and the way to stop. */
export function Waiting({ onCancel }: { onCancel: () => void }) {
  const long = useLong(true);
  return (
    <div className={classes.waiting} role="status" aria-label="Loading">
      {long && (
        <div className={classes.long}>
          <Progress value={100} animated size="xs" w={160} aria-label="Counting" /> Still counting.
          <button type="button" className="word" onClick={onCancel}>
            stop
          </button>
        </div>
      )}
      {Array.from({ length: 14 }, (_, index) => (
        <Skeleton key={index} height={12} width={`${88 - ((index * 23) % 40)}%`} my={6} />
      ))}
    </div>
  );
}

/** What went wrong, what to do, and the details to pass on. */
export function Failure({ error, onRetry }: { error: Error; onRetry: () => void }) {
  const problem = error instanceof ApiError ? error.problem : undefined;
  const details = JSON.stringify(problem ?? { message: error.message }, null, 2);
  return (
    <div className={classes.message} role="alert">
      <h2>{problem?.title ?? 'Something went wrong'}</h2>
      <p>{error.message}</p>
      <button type="button" className="word" onClick={onRetry}>
        try again
      </button>
      <CopyButton value={details}>
        {({ copy, copied }) => (
          <button type="button" className="word" onClick={copy}>
            {copied ? 'details copied' : 'copy the details'}
          </button>
        )}
      </CopyButton>
    </div>
  );
}

/** Nothing to show: why, and one click to widen. */
export function Nothing({ count }: { count: CountAnswer | undefined }) {
  const [state, change] = useViewState();
  const until = useHeld().data?.until ?? Infinity;
  const hidden = state.focus !== undefined && state.focus.from >= until;
  const focusLength = state.focus ? state.focus.to - state.focus.from : 0;
  const widen = (): void => {
    if (state.focus)
      change({ focus: { from: state.focus.from - 2 * focusLength, to: state.focus.to + 2 * focusLength } });
  };
  return (
    <div className={classes.message}>
      <h2>No record here</h2>
      <p>
        {hidden
          ? `The focus lies behind what is shown so far, which ends at ${dayTime(until)}.`
          : count
            ? reason(count, state.scope !== '')
            : 'Nothing was found in the focus.'}
      </p>
      {state.scope !== '' && count !== undefined && count.unscoped.focus > 0 && (
        <button type="button" className="word" onClick={() => change({ scope: '' })}>
          drop the scope
        </button>
      )}
      <button type="button" className="word" onClick={widen}>
        make the focus five times as long
      </button>
    </div>
  );
}

function reason(count: CountAnswer, scoped: boolean): string {
  if (count.unscoped.focus === 0)
    return 'Nothing at all was recorded in the focus; another time may hold more.';
  if (!scoped) return 'Nothing was found in the focus.';
  const elsewhere =
    count.anyTime === 0
      ? 'no record at any time matches the scope'
      : `at other times ${plural(count.anyTime, 'record matches', 'records match')} it`;
  return `Without the scope there are ${plural(count.unscoped.focus, 'record')} in the focus; ${elsewhere}.`;
}

/** A message of the same look, for what a view has to say of itself. */
export const Message = ({ title, children }: { title: string; children: ReactNode }) => (
  <div className={classes.message}>
    <h2>{title}</h2>
    {children}
  </div>
);

/** What an answer lacks since a part of the store is damaged; nothing where it is whole. */
export const MissingNote = ({ missing }: { missing: MissingRecords | undefined }) =>
  missing && (
    <p role="status">
      {missing.records.toLocaleString('en')} records are not counted here. {missing.reason}
    </p>
  );
