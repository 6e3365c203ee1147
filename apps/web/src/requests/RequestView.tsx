import type { LogRecord, RequestAnswer, SpanBody } from '@flail/contract';
import { quoteValue } from '@flail/core/expression';
import { CopyButton } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useNavigate, useSearchParams } from 'react-router';
import { carriedParameters, useViewParameter, useViewState, writeState } from '../context/view-state.js';
import { clockTime, dayTime } from '../format/times.js';
import { percent, plural } from '../format/numbers.js';
import { Choice } from '../frame/Choice.js';
import { useKeys } from '../frame/keys.js';
import { usePinning } from '../pins/usePinning.js';
import { LineText } from '../logs/LineText.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import { Failure, Waiting } from '../states/States.js';
import { useRequest, useTwin } from './queries.js';
import { secondsText } from '../format/figures.js';
import { besideFinding, requestFinding, twinFinding } from './sentences.js';
import { SpanTree } from './SpanTree.js';
import { TimeAccount } from './TimeAccount.js';
import list from '../frame/list.module.css';
import classes from './requests.module.css';

interface Props {
  trace: string;
  onBack: () => void;
  onOpen: (trace: string) => void;
}

/** One request: where its time went, its spans, what they say, and its healthy twin. */
export default function RequestView({ trace, onBack, onOpen }: Props) {
  const [{ dataset }] = useViewState();
  const client = useQueryClient();
  const request = useRequest(dataset, trace);
  useKeys({ Escape: onBack });
  if (request.isError) return <Failure error={request.error} onRetry={() => void request.refetch()} />;
  if (!request.data || request.isPlaceholderData)
    return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['request'] })} />;
  return <Shown key={trace} request={request.data} onBack={onBack} onOpen={onOpen} />;
}

const MINUTE = 60_000;

function Shown({ request, onBack, onOpen }: { request: RequestAnswer } & Omit<Props, 'trace'>) {
  const [state] = useViewState();
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  const pin = usePinning();
  const [panel, setPanel] = useViewParameter('panel', 'span');
  const [spanText, setSpan] = useViewParameter('span', '');
  const { trace, spans, logs, problems, service, operation, time, outcome } = request;
  const failing = spans.findLastIndex((span) => span.failed);
  const selected = spanText === '' ? Math.max(0, failing) : Math.min(spans.length - 1, Number(spanText) || 0);
  const finding = requestFinding(request);
  const toLogs = (): void => {
    const at = Date.parse(time);
    const { focus } = state;
    const within = focus !== undefined && at >= focus.from && at + request.duration * 1000 < focus.to;
    const next = writeState(carriedParameters(parameters), {
      scope: `trace = ${quoteValue(trace)}`,
      ...(!within && { focus: { from: at - MINUTE, to: at + MINUTE } }),
    });
    void navigate(`/logs?${next.toString()}`, {
      state: {
        carried: `lines of one request, ${operation}`,
        back: `${location.pathname}${location.search}`,
      },
    });
  };
  const likeThis = (): void => {
    const next = carriedParameters(parameters);
    next.set('operation', `${service}~${operation}`);
    next.set('which', outcome === 'ok' ? 'slow without error' : outcome);
    void navigate(`/requests?${next.toString()}`);
  };
  return (
    <section className={classes.view} aria-label="Request">
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {finding}{' '}
          <button type="button" className="word" onClick={onBack}>
            back to the list
          </button>
        </p>
      </div>
      <p className={classes.facts}>
        {dayTime(time)}, {clockTime(time)} · {plural(spans.length + request.more, 'span')} ·{' '}
        <button type="button" className="word" onClick={likeThis}>
          all like this one
        </button>
        <button type="button" className="word" onClick={toLogs}>
          {plural(logs.length, 'line')} in Logs
        </button>
        <button
          type="button"
          className="word"
          onClick={() => pin({ kind: 'window', title: finding.slice(0, 200), seen: { trace, outcome } })}
        >
          pin
        </button>
        <CopyButton value={trace}>
          {({ copy, copied }) => (
            <button type="button" className="word" onClick={copy}>
              {copied ? 'copied' : 'copy its trace id'}
            </button>
          )}
        </CopyButton>
        {problems.map((problem) => (
          <span key={problem} className={classes.problem}>
            {problem}
          </span>
        ))}
      </p>
      <TimeAccount request={request} />
      <div className={classes.one}>
        <SpanTree
          request={request}
          selected={selected}
          onSelect={(span) => {
            setSpan(String(span));
          }}
        />
        <aside className={classes.panel} aria-label="Beside the spans">
          <Choice
            aria-label="Beside the spans"
            data={[
              { value: 'span', label: 'span' },
              { value: 'twin', label: 'healthy twin' },
              { value: 'lines', label: `${logs.length} lines` },
            ]}
            value={panel}
            onChange={setPanel}
          />
          {panel === 'twin' ? (
            <Twin trace={trace} onOpen={onOpen} />
          ) : panel === 'lines' ? (
            <Lines logs={logs} />
          ) : (
            <SpanFields span={spans[selected]!} logs={logs} at={Date.parse(time)} />
          )}
        </aside>
      </div>
    </section>
  );
}

function SpanFields({ span, logs, at }: { span: SpanBody; logs: readonly LogRecord[]; at: number }) {
  const { service, operation, kind, from, to, own, failed, message, peer, shifted, orphan, fields, events } =
    span;
  const said = logs.filter((record) => record.fields.span === span.id);
  return (
    <div className={classes.fields}>
      <p>
        <b>{service}</b> {operation}
        {peer !== undefined && ` of ${peer}`}, {kind}: {secondsText(to - from)}, {secondsText(own)} of it its
        own.
        {failed && (
          <span className={classes.failedText}> Failed{message === undefined ? '' : `: ${message}`}.</span>
        )}
        {orphan === true && ' Its parent was not recorded.'}
        {shifted !== undefined && ` Its clock was set by ${secondsText(Math.abs(shifted))}.`}
      </p>
      {events.map((event, index) => (
        <div key={index} className={classes.event}>
          <b>{event.name}</b> after {secondsText(event.at)}
          {Object.entries(event.fields).map(([name, value]) => (
            <pre key={name} title={name}>
              {value}
            </pre>
          ))}
        </div>
      ))}
      {said.length > 0 && <Lines logs={said} />}
      <dl>
        {Object.entries(fields).map(([name, value]) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd className="mono">
              {value}{' '}
              {name === 'instance' ? (
                <OnFrom
                  span={span}
                  at={at}
                  path="/metrics"
                  words="its measurements then"
                  more={{ find: value }}
                />
              ) : (
                <OnFrom
                  span={span}
                  at={at}
                  path="/requests"
                  words="requests with it"
                  scope={`${name} = ${quoteValue(value)}`}
                />
              )}
            </dd>
          </div>
        ))}
      </dl>
    </div>
  );
}

const AROUND_MS = 15 * 60_000;

/** From a value of a span to another view of that time. */
function OnFrom({
  span,
  at,
  path,
  words,
  scope,
  more = {},
}: {
  span: SpanBody;
  /** When the request was, milliseconds. */
  at: number;
  path: string;
  words: string;
  scope?: string;
  more?: Record<string, string>;
}) {
  const [parameters] = useSearchParams();
  const [{ focus }] = useViewState();
  const navigate = useNavigate();
  return (
    <button
      type="button"
      className="word"
      onClick={() => {
        const next = writeState(carriedParameters(parameters), {
          ...(scope !== undefined && { scope }),
          ...(!focus && { focus: { from: at - AROUND_MS, to: at + AROUND_MS } }),
        });
        for (const [name, value] of Object.entries(more)) next.set(name, value);
        void navigate(`${path}?${next.toString()}`, {
          state: {
            carried: `${span.service} ${span.operation}`,
            back: `${location.pathname}${location.search}`,
          },
        });
      }}
    >
      {words}
    </button>
  );
}

const Lines = ({ logs }: { logs: readonly LogRecord[] }) => (
  <div className={classes.lines}>
    {logs.length === 0 && <p className="soft">No line names this request.</p>}
    {logs.map((record) => (
      <div key={record.id}>
        <LevelLetter level={record.level} /> <time className="soft">{clockTime(record.time)}</time>{' '}
        <span className="soft">{record.service}</span> <LineText record={record} whole />
      </div>
    ))}
  </div>
);

function Twin({ trace, onOpen }: { trace: string; onOpen: (trace: string) => void }) {
  const [{ dataset }] = useViewState();
  const client = useQueryClient();
  const twin = useTwin(dataset, trace, true);
  if (twin.isError) return <Failure error={twin.error} onRetry={() => void twin.refetch()} />;
  if (!twin.data) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['twin'] })} />;
  const { twin: other, differences } = twin.data;
  const text = (kind: string, value: string | number): string =>
    value === '' ? 'absent' : kind === 'time' ? secondsText(Number(value)) : String(value);
  return (
    <div className={classes.twin} data-testid="twin">
      <p>
        {twinFinding(twin.data)}{' '}
        {other && (
          <button type="button" className="word" onClick={() => onOpen(other.trace)}>
            open it
          </button>
        )}
      </p>
      {besideFinding(twin.data) !== '' && <p data-testid="beside">{besideFinding(twin.data)}</p>}
      {differences.length > 0 && (
        <table>
          <thead>
            <tr>
              <th>what</th>
              <th>this one</th>
              <th>twin</th>
              <th title="Part of the healthy that are as this one; for calls and times, how near the two are">
                alike
              </th>
            </tr>
          </thead>
          <tbody>
            {differences.slice(0, 30).map(({ kind, what, own, twin: of, likeOwn }) => (
              <tr key={`${kind} ${what}`}>
                <td>
                  {kind === 'calls' ? 'calls of ' : kind === 'time' ? 'own time of ' : ''}
                  {what}
                </td>
                <td className="mono">{text(kind, own)}</td>
                <td className="mono">{text(kind, of)}</td>
                <td>{percent(likeOwn)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
