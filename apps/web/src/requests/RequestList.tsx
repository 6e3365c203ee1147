import type { RequestBody, RequestOrder, RequestPreset, RequestsSearchAnswer } from '@flail/contract';
import { NativeSelect } from '@mantine/core';
import { useState } from 'react';
import { useViewState } from '../context/view-state.js';
import { secondsText } from '../format/figures.js';
import { fullCount, plural } from '../format/numbers.js';
import { clockTime } from '../format/times.js';
import { Choice } from '../frame/Choice.js';
import { useRowKeys } from '../frame/keys.js';
import { useRequestAhead } from './queries.js';
import { useRequestsAsked } from './useRequestsAsked.js';
import list from '../frame/list.module.css';
import classes from './requests.module.css';

const PRESETS: { value: RequestPreset; label: string }[] = [
  { value: 'all', label: 'all' },
  { value: 'failed', label: 'failed' },
  { value: 'hidden', label: 'broken unseen' },
  { value: 'refused', label: 'refused' },
  { value: 'slow without error', label: 'slow, no error' },
];
const ORDERS: { value: RequestOrder; label: string }[] = [
  { value: 'newest', label: 'newest first' },
  { value: 'oldest', label: 'oldest first' },
  { value: 'slowest', label: 'slowest first' },
  { value: 'fastest', label: 'fastest first' },
];
/** No list is longer. */
export const MOST_LISTED = 1000;

interface ListProps {
  answer: RequestsSearchAnswer;
  onOpen: (trace: string) => void;
  /** More of them are wanted. */
  onMore: () => void;
}

/** The requests that were asked for, one a line. */
export function RequestList({ answer: { requests, matched }, onOpen, onMore }: ListProps) {
  const [{ dataset }] = useViewState();
  const { preset, setPreset, order, setOrder, cohort, service, operation } = useRequestsAsked();
  const askAhead = useRequestAhead(dataset);
  const [selected, setSelected] = useState(-1);
  useRowKeys(requests.length, selected, setSelected, { Enter: (index) => onOpen(requests[index]!.trace) });
  return (
    <div className={classes.listing}>
      <div className={classes.tools}>
        <Choice aria-label="Which requests" data={PRESETS} value={preset} onChange={setPreset} />
        <NativeSelect
          size="xs"
          aria-label="Order of the requests"
          data={ORDERS}
          value={order}
          onChange={(event) => setOrder(event.currentTarget.value)}
        />
      </div>
      <p className={classes.matched}>
        {plural(matched, 'request')} kept
        {cohort !== '' && `, of those ${cohort}`}
        {service !== '' && `, of ${operation}`}
      </p>
      <div className={list.scroller}>
        <table className={classes.table}>
          <tbody>
            {requests.map((row, index) => (
              <RequestRow
                key={row.trace}
                row={row}
                selected={index === selected}
                onOpen={() => onOpen(row.trace)}
                onPress={() => askAhead(row.trace)}
              />
            ))}
          </tbody>
        </table>
        {requests.length < matched && (
          <p className={classes.more}>
            The first {fullCount(requests.length)} of {fullCount(matched)}.{' '}
            {requests.length < MOST_LISTED && (
              <button type="button" className="word" onClick={onMore}>
                more
              </button>
            )}
          </p>
        )}
      </div>
    </div>
  );
}

const MARKS: Record<RequestBody['outcome'], string> = { ok: '', refused: 'R', failed: 'F', hidden: 'H' };
const WORDS: Record<RequestBody['outcome'], string> = {
  ok: 'went well',
  refused: 'refused',
  failed: 'failed',
  hidden: 'something broke unseen',
};

interface RowProps {
  row: RequestBody;
  selected: boolean;
  onOpen: () => void;
  /** It is about to be opened. */
  onPress: () => void;
}

function RequestRow({ row, selected, onOpen, onPress }: RowProps) {
  const { time, operation, service, duration, outcome, slow, status } = row;
  return (
    <tr data-selected={selected} data-testid="request">
      <td className={classes.mark} data-outcome={outcome} title={WORDS[outcome]}>
        {MARKS[outcome]}
      </td>
      <td className="mono">{clockTime(time)}</td>
      <td>
        <button type="button" className={classes.open} onPointerDown={onPress} onClick={onOpen}>
          {operation}
        </button>{' '}
        <span className="soft">{service}</span>
      </td>
      <td>{status ?? ''}</td>
      <td className={classes.number} data-slow={slow} title={slow ? 'slow for this operation' : undefined}>
        {secondsText(duration)}
      </td>
    </tr>
  );
}
