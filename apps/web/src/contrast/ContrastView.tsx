import type { ContrastAnswer, ContrastBody, ContrastNews, ReadBody } from '@flail/contract';
import { memo } from 'react';
import { api } from '../api/client.js';
import { readBody, windowBody } from '../api/queries.js';
import { useTold } from '../api/useTold.js';
import { useViewParameter, useViewState, type ViewState } from '../context/view-state.js';
import { plural } from '../format/numbers.js';
import { Choice } from '../frame/Choice.js';
import { LongWait } from '../states/LongWait.js';
import { Failure, Message, MissingNote } from '../states/States.js';
import { useShown } from '../states/useShown.js';
import { Before } from './Before.js';
import { Cohorts } from './Cohorts.js';
import { Differences } from './Differences.js';
import { contrastFinding, featureText, signatureText } from './sentences.js';
import { Signature } from './Signature.js';
import { useCohorts } from './useCohorts.js';
import list from '../frame/list.module.css';
import classes from './contrast.module.css';

const DAY = 86_400_000;
/** Differences that are shown ahead of all others. */
const SO_FAR = 6;

/** What sets one cohort apart from another. */
export function ContrastView() {
  const [state] = useViewState();
  const body = readBody(state);
  if (!body || !state.focus)
    return (
      <Message title="What sets the failing apart">
        <p>
          Draw the bad time on the timeband above, or type it there. What failed in it is told apart from what
          went well, by fields, calls, lines, values, the state of instances and jobs that ran beside.
        </p>
      </Message>
    );
  return <Contrast body={body} state={state} />;
}

function Contrast({ body, state }: { body: ReadBody; state: ViewState }) {
  const { body: cohorts, controls, narrowed } = useCohorts(state);
  const question: ContrastBody = { ...body, ...cohorts };
  if (cohorts.items === 'runs') {
    // Runs are few and far between: they are looked at over the day up to the end of the focus.
    const to = Date.parse(body.window.to);
    question.window = windowBody({ from: Math.min(Date.parse(body.window.from), to - DAY), to });
  }
  const contrast = useTold<ContrastAnswer, ContrastNews>(['contrast', question], (told, signal) =>
    api.contrast(question, told, signal),
  );
  const { answer } = useShown(contrast);
  const { differences: soFar } = contrast.told;
  return (
    <section className={classes.view} aria-label="Contrast">
      <Cohorts controls={controls} answer={contrast.data} narrowed={narrowed} />
      {contrast.isError ? (
        <Failure error={contrast.error} onRetry={() => void contrast.refetch()} />
      ) : !contrast.data || !answer ? (
        <div className={classes.looking}>
          <p>Telling the two cohorts apart by everything that is recorded of them.</p>
          <LongWait progress={contrast.progress} what="steps" queryKey="contrast" />
          {soFar && soFar.length > 0 && (
            <div data-testid="so-far">
              <h2>So far, by fields and calls alone</h2>
              <Differences rows={soFar.slice(0, SO_FAR)} />
            </div>
          )}
        </div>
      ) : (
        <Answered answer={answer} />
      )}
    </section>
  );
}

const Answered = memo(function Answered({ answer }: { answer: ContrastAnswer }) {
  const [side, setSide] = useViewParameter('side', 'before');
  const { signatures, differences, times, setAside, features, tried } = answer;
  return (
    <>
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {contrastFinding(answer)}
        </p>
      </div>
      <MissingNote missing={answer.missing} />
      <div className={classes.two}>
        <div className={classes.main} tabIndex={0} aria-label="Signatures and differences">
          {signatures.map((signature, at) => (
            <Signature key={signatureText(signature)} signature={signature} answer={answer} at={at} />
          ))}
          <h2>What sets them apart, one by one</h2>
          {differences.length === 0 ? (
            <p className="soft">Nothing differs between the two more than chance may bring about.</p>
          ) : (
            <Differences rows={differences} />
          )}
          <p className="soft">
            {plural(features, 'feature')} and {plural(tried, 'description')} tried; of the differences named
            1% may be so by chance. Bars: share of the first cohort filled, of the second as an outline; the
            line shows within what the difference lies with 95%.
          </p>
        </div>
        <aside className={classes.panel} aria-label="Beside the contrast" tabIndex={0}>
          <Choice
            fullWidth
            aria-label="Beside the contrast"
            data={[
              { value: 'before', label: 'new just before' },
              { value: 'time', label: 'where time went' },
              { value: 'aside', label: 'set aside' },
            ]}
            value={side}
            onChange={setSide}
          />
          {side === 'before' && <Before answer={answer} />}
          {side === 'time' &&
            (times.length === 0 ? (
              <p className="soft">The two took as long, part by part.</p>
            ) : (
              <Differences rows={times} />
            ))}
          {side === 'aside' && (
            <>
              {setAside.map(({ feature, why }) => (
                <p key={featureText(feature)}>
                  {featureText(feature)} <span className="soft">{why}</span>
                </p>
              ))}
              {answer.lacking.length > 0 && (
                <>
                  <h2>Not recorded</h2>
                  {answer.lacking.map((one) => (
                    <p key={one}>{one}</p>
                  ))}
                </>
              )}
            </>
          )}
        </aside>
      </div>
    </>
  );
});
