import type { LogRecord } from '@flail/contract';
import { narrow } from '@flail/core/expression';
import { SegmentedControl } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState } from 'react';
import { readBody, useCount, useLogs } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';
import { plural } from '../format/numbers.js';
import { clockTime } from '../format/times.js';
import { useKeys, useRowKeys } from '../frame/keys.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import { MissingNote, Failure, Message, Nothing, Waiting } from '../states/States.js';
import { LineText } from './LineText.js';
import { RecordPanel } from './RecordPanel.js';
import list from '../frame/list.module.css';
import classes from './logs.module.css';

const ROW_HEIGHT = 22;

/** The finding above the lines, in one sentence. */
function linesFinding(matched: number, scoped: boolean, first: LogRecord | undefined, order: string): string {
  const count = `${plural(matched, 'record')} ${scoped ? (matched === 1 ? 'matches' : 'match') : 'in the focus'}`;
  return first
    ? `${count}; the ${order === 'newest' ? 'newest' : 'oldest'} is of ${clockTime(first.time).slice(0, 8)}.`
    : `${count}.`;
}

/** The records of the focus as lines. */
export function LogsView() {
  const [state, change] = useViewState();
  const [order, setOrder] = useViewParameter('lines', 'newest');
  const [openId, setOpenId] = useViewParameter('record', '');
  const client = useQueryClient();
  const body = readBody(state);
  const logs = useLogs(body, order);
  const count = useCount(body);
  const records = useMemo(() => logs.data?.pages.flatMap((page) => page.records) ?? [], [logs.data]);
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: records.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 20,
  });
  const [selected, setSelected] = useState(-1);
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = logs;
  useEffect(() => {
    if (last >= records.length - 40 && hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [last, records.length, hasNextPage, isFetchingNextPage, fetchNextPage]);
  useEffect(() => {
    if (selected >= 0) virtual.scrollToIndex(selected, { align: 'auto' });
  }, [selected, virtual]);

  const only = (record: LogRecord): void =>
    change({ scope: narrow(state.scope, `pattern ${record.pattern}`) });
  const without = (record: LogRecord): void =>
    change({ scope: narrow(state.scope, `pattern ${record.pattern}`, true) });
  useRowKeys(records.length, selected, setSelected, {
    Enter: (index) => setOpenId(records[index]!.id),
    i: (index) => only(records[index]!),
    x: (index) => without(records[index]!),
  });
  useKeys({ Escape: () => setOpenId('') });

  if (!state.focus) {
    return (
      <Message title="Lines of the focus">
        <p>Draw a stretch of time on the timeband above, or type it there, to read its lines.</p>
      </Message>
    );
  }
  if (logs.isError) return <Failure error={logs.error} onRetry={() => void logs.refetch()} />;
  if (!logs.data) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['logs'] })} />;
  const matched = logs.data.pages[0]?.matched ?? 0;
  const open = records.find(({ id }) => id === openId);

  return (
    <section className={classes.view} aria-label="Logs" aria-busy={logs.isPlaceholderData}>
      <div className={classes.main}>
        <div className={classes.head}>
          <p className={list.finding} data-testid="finding">
            {linesFinding(matched, state.scope !== '', records[0], order)}
          </p>
          <SegmentedControl
            size="xs"
            data={[
              { value: 'newest', label: 'newest first' },
              { value: 'oldest', label: 'oldest first' },
            ]}
            value={order}
            onChange={setOrder}
            aria-label="Order of the lines"
          />
        </div>
        <MissingNote missing={logs.data.pages[0]?.missing} />
        {records.length === 0 ? (
          <Nothing count={count.data} />
        ) : (
          <div ref={scroller} className={list.scroller} data-stale={logs.isPlaceholderData}>
            <div role="list" style={{ height: virtual.getTotalSize(), position: 'relative' }}>
              {items.map(({ index, start }) => {
                const record = records[index]!;
                return (
                  <div
                    key={record.id}
                    role="listitem"
                    className={`${list.row} ${classes.row}`}
                    style={{ transform: `translateY(${start}px)`, height: ROW_HEIGHT }}
                    data-selected={index === selected || record.id === openId}
                    data-testid="line"
                    onClick={() => {
                      setSelected(index);
                      setOpenId(record.id);
                    }}
                  >
                    <LevelLetter level={record.level} />
                    <time dateTime={record.time} title={`${record.time} (UTC)`} className={classes.time}>
                      {clockTime(record.time)}
                    </time>
                    <span className={classes.service}>{record.service}</span>
                    <LineText record={record} />
                  </div>
                );
              })}
            </div>
          </div>
        )}
      </div>
      {open && (
        <RecordPanel
          record={open}
          onClose={() => setOpenId('')}
          onOnly={() => only(open)}
          onWithout={() => without(open)}
        />
      )}
    </section>
  );
}
