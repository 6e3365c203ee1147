import type { RequestBody, RequestOrder, RequestPreset, RequestsSearchBody } from '@flail/contract';
import { SegmentedControl, Select } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { readBody, useCount } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';
import { fullCount, plural } from '../format/numbers.js';
import { clockTime } from '../format/times.js';
import { useKeys, useRowKeys } from '../frame/keys.js';
import { Failure, Message, MissingNote, Nothing, Waiting } from '../states/States.js';
import { InvestigateLink } from '../cases/InvestigateLink.js';
import { ContrastLink } from '../contrast/ContrastLink.js';
import type { LitWay } from '../map/graph.js';
import { WayLink } from '../map/WayLink.js';
import { BehindIt } from './BehindIt.js';
import { OperationsTable } from './OperationsTable.js';
import { useRequestAhead, useRequests } from './queries.js';
import { secondsText } from '../format/figures.js';
import { countText, requestsFinding } from './sentences.js';
import { Strips } from './Strips.js';
import list from '../frame/list.module.css';
import classes from './requests.module.css';

const RequestView = lazy(() => import('./RequestView.js'));

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
/** Cohorts of Contrast for what the list is narrowed to. */
const CONTRASTED: Record<string, string> = {
  failed: 'failed',
  refused: 'refused',
  hidden: 'hidden',
  slow: 'slow',
  'slow without error': 'slow',
};
const WAYS_OF: Record<string, LitWay> = { failed: 'failed', slow: 'slow', 'slow without error': 'slow' };
const PAGE = 100;

/** Requests of the focus against the baseline, and one of them in full. */
export function RequestsView() {
  const [state] = useViewState();
  const [trace, setTrace] = useViewParameter('request', '');
  const body = readBody(state);
  if (trace !== '')
    return (
      <Suspense fallback={null}>
        <RequestView trace={trace} onBack={() => setTrace('')} onOpen={setTrace} />
      </Suspense>
    );
  if (!body)
    return (
      <Message title="Requests of the focus">
        <p>Draw a stretch of time on the timeband above, or type it there, to see the requests in it.</p>
      </Message>
    );
  return <Requests key={body.dataset} onOpen={setTrace} />;
}

function Requests({ onOpen }: { onOpen: (trace: string) => void }) {
  const [state] = useViewState();
  const client = useQueryClient();
  const [preset, setPreset] = useViewParameter('which', 'all');
  const [order, setOrder] = useViewParameter('order', 'newest');
  const [show, setShow] = useViewParameter('show', 'requests');
  const [chosenText, setChosen] = useViewParameter('operation', '');
  const [slowerText, setSlower] = useViewParameter('slower', '');
  const [fasterText, setFaster] = useViewParameter('faster', '');
  const [cohort, setCohort] = useViewParameter('cohort', '');
  const [pages, setPages] = useState(1);
  const [selected, setSelected] = useState(-1);
  const read = readBody(state)!;
  const [service = '', operation = ''] = chosenText.split('~');
  const slower = Number(slowerText) || undefined;
  const faster = Number(fasterText) || undefined;
  const chosen = service === '' ? {} : { service, operation };
  const body: RequestsSearchBody = {
    ...read,
    ...chosen,
    preset: preset as RequestPreset,
    order: order as RequestOrder,
    limit: Math.min(1000, PAGE * pages),
    ...(slower !== undefined && { slower }),
    ...(faster !== undefined && { faster }),
    ...((cohort === 'slower' || cohort === 'faster') && { cohort }),
  };
  const requests = useRequests(body);
  const askAhead = useRequestAhead(state.dataset);
  const count = useCount(read);
  const rows = requests.data?.requests ?? [];
  useRowKeys(rows.length, selected, setSelected, { Enter: (index) => onOpen(rows[index]!.trace) });
  useKeys({
    Escape: () => {
      setChosen('');
      setCohort('');
    },
  });
  if (requests.isError) return <Failure error={requests.error} onRetry={() => void requests.refetch()} />;
  if (!requests.data)
    return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['requests'] })} />;
  const answer = requests.data;
  if (answer.operations.length === 0)
    return state.scope === '' ? (
      <Message title="No requests here">
        <p>No spans of requests came in for this stretch of time. See Sources for what sends.</p>
      </Message>
    ) : (
      <Nothing count={count.data} />
    );
  const { cohorts } = answer;
  return (
    <section className={classes.view} aria-label="Requests" aria-busy={requests.isPlaceholderData}>
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {requestsFinding(answer)}
        </p>
        <span className={list.onward}>
          <InvestigateLink />
          <ContrastLink
            cohorts={{
              ...(preset !== 'all' && { first: CONTRASTED[preset] ?? 'wrong' }),
              ...(service !== '' && { service, operation }),
            }}
            words="what sets them apart"
          />
          <WayLink way={WAYS_OF[preset] ?? 'all'} />
        </span>
        <SegmentedControl
          size="xs"
          aria-label="Shown"
          data={[
            { value: 'requests', label: 'requests' },
            { value: 'behind', label: 'what lies behind' },
          ]}
          value={show}
          onChange={setShow}
        />
      </div>
      <MissingNote missing={answer.missing} />
      <Strips
        strips={answer.strips}
        slower={slower}
        faster={faster}
        onCut={(which, seconds) => {
          (which === 'slower' ? setSlower : setFaster)(seconds === undefined ? '' : String(seconds));
        }}
      />
      {cohorts && (
        <p className={classes.cohorts}>
          {slower !== undefined && (
            <CohortWord
              words={`${countText(cohorts.slower)} slower than ${secondsText(slower)}`}
              on={cohort === 'slower'}
              onClick={() => setCohort(cohort === 'slower' ? '' : 'slower')}
            />
          )}
          {faster !== undefined && (
            <CohortWord
              words={`${countText(cohorts.faster)} faster than ${secondsText(faster)}`}
              on={cohort === 'faster'}
              onClick={() => setCohort(cohort === 'faster' ? '' : 'faster')}
            />
          )}
          <ContrastLink
            cohorts={{
              ...(slower !== undefined && { slower: String(slower) }),
              ...(faster !== undefined && { faster: String(faster) }),
              ...(service !== '' && { service, operation }),
            }}
            words="tell the two apart"
          />
          <button
            type="button"
            className="word"
            onClick={() => {
              setSlower('');
              setFaster('');
              setCohort('');
            }}
          >
            take the lines away
          </button>
        </p>
      )}
      {show === 'behind' ? (
        <BehindIt body={{ ...read, ...chosen }} />
      ) : (
        <div className={classes.two} data-stale={requests.isPlaceholderData}>
          <OperationsTable
            answer={answer}
            chosen={{ service, operation }}
            onChoose={(own, name) => setChosen(own === '' ? '' : `${own}~${name}`)}
          />
          <div className={classes.listing}>
            <div className={classes.tools}>
              <SegmentedControl
                size="xs"
                aria-label="Which requests"
                data={PRESETS}
                value={preset}
                onChange={setPreset}
              />
              <Select
                size="xs"
                w={126}
                aria-label="Order of the requests"
                data={ORDERS}
                value={order}
                allowDeselect={false}
                onChange={(value) => setOrder(value ?? 'newest')}
              />
            </div>
            <p className={classes.matched}>
              {plural(answer.matched, 'request')} kept
              {cohort !== '' && `, of those ${cohort}`}
              {service !== '' && `, of ${operation}`}
            </p>
            <div className={list.scroller}>
              <table className={classes.table}>
                <tbody>
                  {rows.map((row, index) => (
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
              {rows.length < answer.matched && (
                <p className={classes.more}>
                  The first {fullCount(rows.length)} of {fullCount(answer.matched)}.{' '}
                  {rows.length < 1000 && (
                    <button type="button" className="word" onClick={() => setPages(pages + 1)}>
                      more
                    </button>
                  )}
                </p>
              )}
            </div>
          </div>
        </div>
      )}
    </section>
  );
}

const CohortWord = ({ words, on, onClick }: { words: string; on: boolean; onClick: () => void }) => (
  <button type="button" className={`word ${classes.cohort}`} aria-pressed={on} onClick={onClick}>
    {words}
  </button>
);

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
