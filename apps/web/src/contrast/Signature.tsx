import type { ContrastAnswer, SignatureBody } from '@flail/contract';
import { narrow } from '@flail/core/expression';
import { CopyButton } from '@mantine/core';
import { useNavigate, useSearchParams } from 'react-router';
import { carriedParameters, useViewState, writeState } from '../context/view-state.js';
import { percent } from '../format/numbers.js';
import { clockTime, dayTime } from '../format/times.js';
import { usePinning } from '../pins/usePinning.js';
import { firstName, fitText, signatureText } from './sentences.js';
import classes from './contrast.module.css';

/** A description that tells the cohorts apart, what it fits, and what speaks against it. */
export function Signature({
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
