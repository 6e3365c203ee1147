import type { PatternSummary } from '@flail/contract';
import { narrow } from '@flail/core/expression';
import { SegmentedControl } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { readBody, useCount, usePatterns } from '../api/queries.js';
import { carriedParameters, useViewParameter, useViewState, writeState } from '../context/view-state.js';
import { dayTime } from '../format/times.js';
import { shortCount } from '../format/numbers.js';
import { useRowKeys } from '../frame/keys.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import { liftWords } from '../paired/lift.js';
import { Paired, Trend } from '../paired/Paired.js';
import { MissingNote, Failure, Message, Nothing, Waiting } from '../states/States.js';
import { patternFinding } from './sentence.js';
import { Sentence, sentenceText } from './Sentence.js';
import list from '../frame/list.module.css';
import classes from './patterns.module.css';

const ORDERS = [
  { value: 'surprise', label: 'surprise' },
  { value: 'changed', label: 'changed' },
  { value: 'common', label: 'common' },
  { value: 'rare', label: 'rare' },
  { value: 'latest', label: 'latest' },
];

const ROW_HEIGHT = 44;

/** The records of focus and baseline as patterns. */
export function PatternsView() {
  const [state, change] = useViewState();
  const [order, setOrder] = useViewParameter('order', 'surprise');
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  const client = useQueryClient();
  const body = readBody(state);
  const patterns = usePatterns(body, order);
  const count = useCount(body);
  const rows = patterns.data?.patterns ?? [];
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 12,
  });
  const [selected, setSelected] = useState(-1);
  useEffect(() => {
    if (selected >= 0) virtual.scrollToIndex(selected, { align: 'auto' });
  }, [selected, virtual]);

  const only = (row: PatternSummary): void => change({ scope: narrow(state.scope, `pattern ${row.id}`) });
  const without = (row: PatternSummary): void =>
    change({ scope: narrow(state.scope, `pattern ${row.id}`, true) });
  const open = (row: PatternSummary): void => {
    const next = writeState(carriedParameters(parameters), {
      scope: narrow(state.scope, `pattern ${row.id}`),
    });
    void navigate(`/logs?${next.toString()}`, {
      state: {
        carried: `lines of “${sentenceText(row.sentence)}”, from Patterns`,
        back: `${location.pathname}${location.search}`,
      },
    });
  };
  useRowKeys(rows.length, selected, setSelected, {
    Enter: (index) => open(rows[index]!),
    i: (index) => only(rows[index]!),
    x: (index) => without(rows[index]!),
  });

  if (!state.focus) {
    return (
      <Message title="Patterns compare a bad time with a good one">
        <p>
          Draw the bad time on the timeband above, or type it there. The good time just before it is taken to
          compare with.
        </p>
      </Message>
    );
  }
  if (patterns.isError) return <Failure error={patterns.error} onRetry={() => void patterns.refetch()} />;
  if (!patterns.data)
    return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['patterns'] })} />;
  const most = Math.max(1, ...rows.map((row) => Math.max(row.focus, row.expected)));

  return (
    <section className={classes.view} aria-label="Patterns" aria-busy={patterns.isPlaceholderData}>
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {patternFinding(patterns.data, state.baseline !== undefined)}
        </p>
        <label className={classes.order}>
          Order
          <SegmentedControl
            size="xs"
            data={ORDERS}
            value={order}
            onChange={setOrder}
            aria-label="Order of the patterns"
          />
        </label>
      </div>
      <div className={classes.columns} aria-hidden>
        <span />
        <span>in focus, against baseline</span>
        <span>change</span>
        <span>over the focus</span>
        <span>pattern</span>
        <span>first seen</span>
        <span />
      </div>
      {rows.length === 0 ? (
        <Nothing count={count.data} />
      ) : (
        <div ref={scroller} className={list.scroller} data-stale={patterns.isPlaceholderData}>
          <div role="list" style={{ height: virtual.getTotalSize(), position: 'relative' }}>
            {virtual.getVirtualItems().map(({ index, start }) => {
              const row = rows[index]!;
              return (
                <div
                  key={row.id}
                  role="listitem"
                  className={`${list.row} ${classes.row}`}
                  style={{ transform: `translateY(${start}px)`, height: ROW_HEIGHT }}
                  data-selected={index === selected}
                  data-testid="pattern"
                  onClick={() => setSelected(index)}
                >
                  <LevelLetter level={row.level} />
                  <Paired
                    focus={row.focus}
                    expected={state.baseline ? row.expected : undefined}
                    baseline={row.baseline}
                    most={most}
                  />
                  <span
                    className={classes.lift}
                    data-change={row.change}
                    title={`Surprise ${row.surprise.toFixed(1)} bits; ${row.baseline.toLocaleString('en')} in the baseline, ${row.earlier.toLocaleString('en')} in all the time before the focus`}
                  >
                    {liftWords(row)}
                  </span>
                  <Trend focus={row.trend} baseline={row.baselineTrend} />
                  <div className={classes.what}>
                    <button
                      type="button"
                      className={classes.open}
                      onClick={() => open(row)}
                      title="Open its lines"
                    >
                      <Sentence parts={row.sentence} />
                    </button>
                    <span className={classes.services}>{servicesText(row)}</span>
                  </div>
                  <span className={classes.seen} title={`${row.firstSeen} – ${row.lastSeen}`}>
                    {dayTime(row.firstSeen)}
                  </span>
                  <span className={classes.actions}>
                    <button type="button" className="word" onClick={() => only(row)}>
                      only
                    </button>
                    <button type="button" className="word" onClick={() => without(row)}>
                      without
                    </button>
                    <button type="button" className="word" onClick={() => open(row)}>
                      lines
                    </button>
                  </span>
                </div>
              );
            })}
          </div>
          <MissingNote missing={patterns.data.missing} />
          {rows.length < patterns.data.total && (
            <p className={classes.more}>
              The first {shortCount(rows.length)} of {shortCount(patterns.data.total)} patterns in this order.
            </p>
          )}
        </div>
      )}
    </section>
  );
}

/** The services that say it, the commonest first. */
function servicesText({ services }: PatternSummary): string {
  const shown = services.slice(0, 3).join(', ');
  return services.length > 3 ? `${shown} and ${services.length - 3} more` : shown;
}
