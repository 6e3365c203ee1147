import type {
  CohortBody,
  CohortPreset,
  ContrastAnswer,
  ContrastBody,
  DifferenceBody,
  ReadBody,
  SignatureBody,
} from '@flail/contract';
import { narrow } from '@flail/core/expression';
import { CopyButton, SegmentedControl, Select, TextInput } from '@mantine/core';
import { useNavigate, useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import { readBody, windowBody } from '../api/queries.js';
import { useTold } from '../api/useTold.js';
import {
  carriedParameters,
  useViewParameter,
  useViewState,
  type ViewState,
  writeState,
} from '../context/view-state.js';
import { percent, plural } from '../format/numbers.js';
import { clockTime, dayTime } from '../format/times.js';
import { Sentence } from '../patterns/Sentence.js';
import { usePinning } from '../pins/usePinning.js';
import { LongWait } from '../states/LongWait.js';
import { Failure, Message, MissingNote } from '../states/States.js';
import { contrastFinding, featureText, firstName, fitText, signatureText, termText } from './sentences.js';
import list from '../frame/list.module.css';
import classes from './contrast.module.css';

const DAY = 86_400_000;
const FIRST: { value: CohortPreset; label: string }[] = [
  { value: 'wrong', label: 'what went wrong' },
  { value: 'failed', label: 'failed' },
  { value: 'refused', label: 'refused' },
  { value: 'hidden', label: 'broken unseen' },
  { value: 'slow', label: 'slow' },
  { value: 'all', label: 'all' },
];
const SECOND: { value: CohortPreset; label: string }[] = [
  { value: 'ok', label: 'went well' },
  { value: 'all', label: 'all others' },
  { value: 'failed', label: 'failed' },
  { value: 'refused', label: 'refused' },
];

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

/** Reads the cohorts from the parameters of the view. */
function useCohorts(state: ViewState) {
  const [items, setItems] = useViewParameter('items', 'requests');
  const [preset, setPreset] = useViewParameter('first', 'wrong');
  const [other, setOther] = useViewParameter('second', 'ok');
  const [scope, setScope] = useViewParameter('firstScope', '');
  const [otherScope, setOtherScope] = useViewParameter('secondScope', '');
  const [within, setWithin] = useViewParameter('secondIn', 'focus');
  const [parameters] = useSearchParams();
  const service = parameters.get('service');
  const operation = parameters.get('operation');
  const slower = Number(parameters.get('slower')) || undefined;
  const faster = Number(parameters.get('faster')) || undefined;
  const job = parameters.get('job');
  const common: CohortBody = {
    ...(service !== null && { service }),
    ...(operation !== null && { operation }),
    ...(job !== null && { job }),
  };
  const cut = slower !== undefined || faster !== undefined;
  const first: CohortBody = {
    ...common,
    preset: cut ? 'all' : (preset as CohortPreset),
    ...(scope !== '' && { scope }),
    ...(slower !== undefined && { slower }),
  };
  const second: CohortBody = {
    ...common,
    preset: cut ? 'all' : (other as CohortPreset),
    ...(otherScope !== '' && { scope: otherScope }),
    ...(faster !== undefined ? { faster } : slower !== undefined && { faster: slower }),
    ...(within === 'baseline' && state.baseline && { window: windowBody(state.baseline) }),
  };
  return {
    body: { items: items as 'requests' | 'runs', first, second },
    controls: {
      items,
      setItems,
      preset,
      setPreset,
      other,
      setOther,
      scope,
      setScope,
      otherScope,
      setOtherScope,
      within,
      setWithin,
    },
    narrowed: [operation, service, job, cut ? 'cut by duration' : null].filter((one) => one !== null),
  };
}

function Contrast({ body, state }: { body: ReadBody; state: ViewState }) {
  const { body: cohorts, controls, narrowed } = useCohorts(state);
  const [sidePath, setSide] = useViewParameter('side', 'before');
  const question: ContrastBody = { ...body, ...cohorts };
  if (cohorts.items === 'runs') {
    // Runs are few and far between: they are looked at over the day up to the end of the focus.
    const to = Date.parse(body.window.to);
    question.window = windowBody({ from: Math.min(Date.parse(body.window.from), to - DAY), to });
  }
  const contrast = useTold(['contrast', question], (told, signal) => api.contrast(question, told, signal));
  return (
    <section className={classes.view} aria-label="Contrast">
      <Cohorts controls={controls} answer={contrast.data} narrowed={narrowed} />
      {contrast.isError ? (
        <Failure error={contrast.error} onRetry={() => void contrast.refetch()} />
      ) : !contrast.data ? (
        <div className={classes.looking}>
          <p>Telling the two cohorts apart by everything that is recorded of them.</p>
          <LongWait progress={contrast.progress} what="steps" queryKey="contrast" />
        </div>
      ) : (
        <Answer answer={contrast.data} side={sidePath} onSide={setSide} />
      )}
    </section>
  );
}

function Cohorts({
  controls,
  answer,
  narrowed,
}: {
  controls: ReturnType<typeof useCohorts>['controls'];
  answer: ContrastAnswer | undefined;
  narrowed: string[];
}) {
  const [parameters, setParameters] = useSearchParams();
  const {
    items,
    setItems,
    preset,
    setPreset,
    other,
    setOther,
    scope,
    setScope,
    otherScope,
    setOtherScope,
    within,
    setWithin,
  } = controls;
  const count = (of: ContrastAnswer['first'] | undefined): string =>
    of === undefined
      ? ''
      : `${plural(of.kept, items === 'runs' ? 'run' : 'request')}${of.used < of.kept ? `, ${of.used} looked into` : ''}`;
  const turn = (): void =>
    setParameters((before) => {
      const next = new URLSearchParams(before);
      for (const [a, b, x, y] of [
        ['first', 'second', 'wrong', 'ok'],
        ['firstScope', 'secondScope', '', ''],
      ] as const) {
        next.set(a, before.get(b) ?? y);
        next.set(b, before.get(a) ?? x);
      }
      return next;
    });
  return (
    <div className={classes.cohorts}>
      <SegmentedControl
        size="xs"
        aria-label="What is told apart"
        data={['requests', 'runs']}
        value={items}
        onChange={setItems}
      />
      <span className={classes.cohort} data-cohort="first">
        <i aria-hidden />
        {items === 'requests' ? (
          <Choice width={138} label="First cohort" data={FIRST} value={preset} onSet={setPreset} />
        ) : (
          'gone wrong'
        )}
        <Own label="A filter of the first cohort alone" value={scope} onSet={setScope} />
        <span className="soft">{count(answer?.first)}</span>
      </span>
      <span className="soft">against</span>
      <span className={classes.cohort} data-cohort="second">
        <i aria-hidden />
        {items === 'requests' ? (
          <Choice width={112} label="Second cohort" data={SECOND} value={other} onSet={setOther} />
        ) : (
          'done'
        )}
        <Choice
          width={112}
          label="Time of the second cohort"
          data={[
            { value: 'focus', label: 'in the focus' },
            { value: 'baseline', label: 'in the baseline' },
          ]}
          value={within}
          onSet={setWithin}
        />
        <Own label="A filter of the second cohort alone" value={otherScope} onSet={setOtherScope} />
        <span className="soft">{count(answer?.second)}</span>
      </span>
      <button type="button" className="word" onClick={turn}>
        turn round
      </button>
      {narrowed.length > 0 && (
        <span>
          {narrowed.join(', ')}
          <button
            type="button"
            className="word"
            onClick={() => {
              const next = new URLSearchParams(parameters);
              for (const name of ['service', 'operation', 'job', 'slower', 'faster']) next.delete(name);
              setParameters(next);
            }}
          >
            all
          </button>
        </span>
      )}
    </div>
  );
}

/** A filter that is asked with when it is left, so that typing does not ask at each letter. */
const Own = ({ label, value, onSet }: { label: string; value: string; onSet: (value: string) => void }) => (
  <TextInput
    size="xs"
    w={120}
    key={value}
    defaultValue={value}
    aria-label={label}
    placeholder="filter"
    className="mono"
    onBlur={({ currentTarget }) => onSet(currentTarget.value.trim())}
    onKeyDown={(event) => event.key === 'Enter' && onSet(event.currentTarget.value.trim())}
  />
);

function Answer({
  answer,
  side,
  onSide,
}: {
  answer: ContrastAnswer;
  side: string;
  onSide: (side: string) => void;
}) {
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
          <SegmentedControl
            size="xs"
            fullWidth
            aria-label="Beside the contrast"
            data={[
              { value: 'before', label: 'new just before' },
              { value: 'time', label: 'where time went' },
              { value: 'aside', label: 'set aside' },
            ]}
            value={side}
            onChange={onSide}
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
}

function Signature({
  signature,
  answer,
  at,
}: {
  signature: SignatureBody;
  answer: ContrastAnswer;
  at: number;
}) {
  const [state] = useViewState();
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  const pin = usePinning();
  const { coverage, coverageIn, purity, purityIn, expression, unsaid, firstSeen, lastSeen, frame } =
    signature;
  const { items } = answer;
  const go = (path: string, more: Record<string, string> = {}): void => {
    const next = writeState(carriedParameters(parameters), {
      ...(expression !== undefined && items === 'requests' && { scope: narrow(state.scope, expression) }),
    });
    for (const [name, value] of Object.entries(more)) next.set(name, value);
    void navigate(`${path}?${next.toString()}`, {
      state: {
        carried: `the signature ${signatureText(signature)}`,
        back: `${location.pathname}${location.search}`,
      },
    });
  };
  const open = (id: string): void =>
    go(items === 'runs' ? '/runs' : '/requests', { [items === 'runs' ? 'run' : 'request']: id });
  return (
    <article className={classes.signature} data-testid="signature" aria-label={`Signature ${at + 1}`}>
      <p className={classes.said}>
        {at + 1}. {signatureText(signature)}
      </p>
      <div className={classes.measures}>
        <Measure name="coverage" value={coverage} within={coverageIn} />
        <Measure name="purity" value={purity} within={purityIn} />
      </div>
      <p>
        {fitText(signature)} First seen {dayTime(firstSeen)}, last {clockTime(lastSeen).slice(0, 5)}.
      </p>
      {frame !== undefined && <p className="mono">{frame}</p>}
      <p>
        <Ids label="samples" ids={signature.samples} onOpen={open} />
        <Ids label="it also fits, though well" ids={signature.counterHealthy} onOpen={open} />
        <Ids label="it does not fit, though wrong" ids={signature.counterFailing} onOpen={open} />
      </p>
      <p>
        {expression !== undefined && (
          <>
            <code className="mono">{expression}</code>
            <CopyButton value={expression}>
              {({ copy, copied }) => (
                <button type="button" className="word" onClick={copy}>
                  {copied ? 'copied' : 'copy'}
                </button>
              )}
            </CopyButton>
            {items === 'requests' && (
              <>
                <button type="button" className="word" onClick={() => go('/requests')}>
                  its requests
                </button>
                <button type="button" className="word" onClick={() => go('/logs')}>
                  its lines
                </button>
                <button type="button" className="word" onClick={() => go('/patterns')}>
                  its patterns
                </button>
              </>
            )}
          </>
        )}
        <button
          type="button"
          className="word"
          onClick={() =>
            pin({
              kind: 'signature',
              title: signatureText(signature),
              seen: {
                coverage,
                purity,
                verdict: signature.verdict,
                first: firstName(answer),
                firstSeen,
                lastSeen,
                fit: fitText(signature),
                ...(expression !== undefined && { expression }),
                ...(frame !== undefined && { frame }),
              },
            })
          }
        >
          keep it in the case
        </button>
        {unsaid > 0 && (
          <span className="soft">
            {expression === undefined ? 'No filter can say it: it is' : 'The filter leaves out'} what no
            single record has.
          </span>
        )}
      </p>
    </article>
  );
}

const Ids = ({
  label,
  ids,
  onOpen,
}: {
  label: string;
  ids: readonly string[];
  onOpen: (id: string) => void;
}) =>
  ids.length === 0 ? null : (
    <span className={classes.ids}>
      {label}:
      {ids.slice(0, 4).map((id) => (
        <button key={id} type="button" className="word mono" onClick={() => onOpen(id)}>
          {id.slice(0, 8)}
        </button>
      ))}
    </span>
  );

/** A share with its interval. */
function Measure({
  name,
  value,
  within: [low, high],
}: {
  name: string;
  value: number;
  within: [number, number];
}) {
  return (
    <div
      className={classes.measure}
      title={`${name} ${(100 * value).toFixed(1)}%, with 95% between ${(100 * low).toFixed(1)}% and ${(100 * high).toFixed(1)}%`}
    >
      <span>{name}</span>
      <svg width={120} height={12} aria-hidden>
        <rect x={0} y={2} width={120} height={8} className={classes.track} />
        <rect x={0} y={2} width={120 * value} height={8} className={classes.fill} />
        <path
          d={`M${120 * low},6H${120 * high}M${120 * low},3v6M${120 * high},3v6`}
          className={classes.whisker}
        />
      </svg>
      <b>{percent(value)}</b>
    </div>
  );
}

const WIDTH = 130;

function Differences({ rows }: { rows: readonly DifferenceBody[] }) {
  return (
    <table className={classes.differences}>
      <tbody>
        {rows.map((row) => {
          const own = row.failing / Math.max(1, row.failingAll);
          const other = row.healthy / Math.max(1, row.healthyAll);
          return (
            <tr key={termText(row.term)} data-testid="difference">
              <td>
                {termText(row.term)}
                {row.with.length > 0 && (
                  <details className={classes.with}>
                    <summary>always with {plural(row.with.length, 'other')}</summary>
                    {row.with.slice(0, 12).map((term) => (
                      <p key={termText(term)}>{termText(term)}</p>
                    ))}
                  </details>
                )}
              </td>
              <td className={classes.bars}>
                <svg
                  width={WIDTH}
                  height={22}
                  role="img"
                  aria-label={`${percent(own)} against ${percent(other)}`}
                >
                  <rect x={0} y={2} width={WIDTH * own} height={8} className={classes.fill} />
                  <rect
                    x={0.5}
                    y={2.5}
                    width={Math.max(0, WIDTH * other - 1)}
                    height={7}
                    className={classes.outline}
                  />
                  <path
                    d={`M${WIDTH * Math.max(0, row.low)},16H${WIDTH * row.high}M${WIDTH * Math.max(0, row.low)},13v6M${WIDTH * row.high},13v6`}
                    className={classes.whisker}
                  />
                </svg>
              </td>
              <td className={classes.shares}>
                {percent(own)} <span className="soft">against {percent(other)}</span>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Before({ answer: { early, onset } }: { answer: ContrastAnswer }) {
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  if (onset === undefined)
    return <p className="soft">Nothing went wrong, so that there is no time before it.</p>;
  if (early.length === 0)
    return (
      <p className="soft">No new kind of line came on their way in the three quarters of an hour before.</p>
    );
  const sharing = early.filter(({ shared }) => shared.length > 0);
  return (
    <>
      <p>
        {sharing.length === 0
          ? `New kinds of lines on their way before ${clockTime(onset).slice(0, 8)}; none names what the first cohort has in common. The nearest come first.`
          : `New kinds of lines on their way before ${clockTime(onset).slice(0, 8)}; ${plural(sharing.length, 'of them names', 'of them name')} what the first cohort has in common.`}
      </p>
      {early.map(({ pattern, sentence, service, time, shared }) => (
        <div key={pattern} className={classes.early} data-testid="early">
          <span className="soft">
            {clockTime(time).slice(0, 8)} {service}
          </span>
          <button
            type="button"
            className={classes.line}
            onClick={() => {
              const next = writeState(carriedParameters(parameters), {
                scope: `pattern ${pattern}`,
                focus: { from: Date.parse(time) - 600_000, to: Date.parse(time) + 600_000 },
              });
              void navigate(`/logs?${next.toString()}`, {
                state: {
                  carried: `a line before what went wrong, from ${service}`,
                  back: `${location.pathname}${location.search}`,
                },
              });
            }}
          >
            <Sentence parts={sentence} />
          </button>
          {shared.length > 0 && (
            <span>names {shared.map(({ value, of }) => `${of} ${value}`).join(', ')}</span>
          )}
        </div>
      ))}
      <p className="soft">What they share, and the order in time, is no proof.</p>
    </>
  );
}

function Choice({
  label,
  data,
  value,
  width,
  onSet,
}: {
  label: string;
  data: { value: string; label: string }[];
  value: string;
  width: number;
  onSet: (value: string) => void;
}) {
  return (
    <Select
      size="xs"
      w={width}
      aria-label={label}
      data={data}
      value={value}
      allowDeselect={false}
      onChange={(next) => next !== null && onSet(next)}
    />
  );
}
