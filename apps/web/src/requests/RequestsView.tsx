import type { RequestsSearchAnswer } from '@flail/contract';
import { useQueryClient } from '@tanstack/react-query';
import { lazy, memo, Suspense, useCallback, useState } from 'react';
import { readBody, useCount } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';
import { Choice } from '../frame/Choice.js';
import { useKeys } from '../frame/keys.js';
import { Failure, Message, MissingNote, Nothing, Waiting } from '../states/States.js';
import { useShown } from '../states/useShown.js';
import { InvestigateLink } from '../cases/InvestigateLink.js';
import { ContrastLink } from '../contrast/ContrastLink.js';
import type { LitWay } from '../map/graph.js';
import { WayLink } from '../map/WayLink.js';
import { BehindIt } from './BehindIt.js';
import { CutCohorts } from './CutCohorts.js';
import { OperationsTable } from './OperationsTable.js';
import { useRequests } from './queries.js';
import { MOST_LISTED, RequestList } from './RequestList.js';
import { requestsFinding } from './sentences.js';
import { Strips } from './Strips.js';
import { useRequestsAsked } from './useRequestsAsked.js';
import list from '../frame/list.module.css';
import classes from './requests.module.css';

const RequestView = lazy(() => import('./RequestView.js'));

/** Cohorts of Contrast for what the list is narrowed to. */
const CONTRASTED: Record<string, string> = {
  failed: 'failed',
  refused: 'refused',
  hidden: 'hidden',
  slow: 'slow',
  'slow without error': 'slow',
};
const WAYS_OF: Record<string, LitWay> = { failed: 'failed', slow: 'slow', 'slow without error': 'slow' };
const PAGE = 50;

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
  const [{ scope }] = useViewState();
  const client = useQueryClient();
  const { read, body } = useRequestsAsked();
  const [pages, setPages] = useState(1);
  const requests = useRequests(body(Math.min(MOST_LISTED, PAGE * pages)));
  const count = useCount(read);
  const { answer, stale } = useShown(requests);
  const more = useCallback(() => setPages((before) => before + 1), []);
  if (requests.isError) return <Failure error={requests.error} onRetry={() => void requests.refetch()} />;
  if (!answer) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['requests'] })} />;
  if (answer.operations.length === 0)
    return scope === '' ? (
      <Message title="No requests here">
        <p>No spans of requests came in for this stretch of time. See Sources for what sends.</p>
      </Message>
    ) : (
      <Nothing count={count.data} />
    );
  return <Answered answer={answer} stale={stale} onOpen={onOpen} onMore={more} />;
}

interface AnsweredProps {
  answer: RequestsSearchAnswer;
  /** Whether another answer is on its way. */
  stale: boolean;
  onOpen: (trace: string) => void;
  onMore: () => void;
}

const Answered = memo(function Answered({ answer, stale, onOpen, onMore }: AnsweredProps) {
  const [show, setShow] = useViewParameter('show', 'requests');
  const { read, preset, service, operation, ofOperation, setChosen, slower, faster, cut, setCohort } =
    useRequestsAsked();
  useKeys({
    Escape: () => {
      setChosen('');
      setCohort('');
    },
  });
  return (
    <section className={classes.view} aria-label="Requests" aria-busy={stale}>
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {requestsFinding(answer)}
        </p>
        <span className={list.onward}>
          <InvestigateLink />
          <ContrastLink
            cohorts={{ ...(preset !== 'all' && { first: CONTRASTED[preset] ?? 'wrong' }), ...ofOperation }}
            words="what sets them apart"
          />
          <WayLink way={WAYS_OF[preset] ?? 'all'} />
        </span>
        <Choice
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
      <Strips strips={answer.strips} slower={slower} faster={faster} onCut={cut} />
      {answer.cohorts && <CutCohorts cohorts={answer.cohorts} />}
      {show === 'behind' ? (
        <BehindIt body={{ ...read, ...ofOperation }} />
      ) : (
        <div className={classes.two} data-stale={stale}>
          <OperationsTable
            answer={answer}
            chosen={{ service, operation }}
            onChoose={(own, name) => setChosen(own === '' ? '' : `${own}~${name}`)}
          />
          <RequestList answer={answer} onOpen={onOpen} onMore={onMore} />
        </div>
      )}
    </section>
  );
});
