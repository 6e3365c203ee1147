import type { LogRecord, ReadBody } from '@flail/contract';
import { narrow, quoteValue } from '@flail/core/expression';
import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useMemo, useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import { readBody, useCount } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';
import { plural } from '../format/numbers.js';
import { clockTime } from '../format/times.js';
import { useKeys, useRowKeys } from '../frame/keys.js';
import { usePinning } from '../pins/usePinning.js';
import { LongWait } from '../states/LongWait.js';
import { useLong } from '../states/useLong.js';
import { Failure, Message, MissingNote, Nothing, Waiting } from '../states/States.js';
import { placeText } from './around.js';
import { AroundView } from './AroundView.js';
import { AskedOf } from './AskedOf.js';
import { ColumnHeads } from './ColumnHeads.js';
import { type Column, columnsOf, columnsText } from './columns.js';
import { FieldsPanel } from './FieldsPanel.js';
import { FollowBar } from './FollowBar.js';
import { type Highlight, highlightsOf, highlightsText, marked, scopeTexts } from './highlights.js';
import { LinesList, type ROW_HEIGHT } from './LinesList.js';
import { LinesTools, type Show } from './LinesTools.js';
import { RecordPanel } from './RecordPanel.js';
import { SelectionMenu } from './SelectionMenu.js';
import { SummaryView } from './SummaryView.js';
import { useFollow } from './useFollow.js';
import { useLogs } from './useLogs.js';
import { useRecordAt } from './useRecordAt.js';
import classes from './logs.module.css';

/** The finding above the lines, in one sentence. */
function linesFinding(matched: number, scoped: boolean, first: LogRecord | undefined, order: string): string {
  const count = `${plural(matched, 'record')} ${scoped ? (matched === 1 ? 'matches' : 'match') : 'in the focus'}`;
  return first
    ? `${count}; the ${order === 'newest' ? 'newest' : 'oldest'} is of ${clockTime(first.time).slice(0, 8)}.`
    : `${count}.`;
}

/** The records of the focus: as lines, as a table, or as a chart. */
export function LogsView() {
  const [state] = useViewState();
  const body = readBody(state);
  if (!body)
    return (
      <Message title="Lines of the focus">
        <p>Draw a stretch of time on the timeband above, or type it there, to read its lines.</p>
      </Message>
    );
  return <Lines body={body} />;
}

function Lines({ body }: { body: ReadBody }) {
  const [state, change] = useViewState();
  const [order, setOrder] = useViewParameter('lines', 'newest');
  /** The place of the record that is open. */
  const [openAt, setOpenAt] = useViewParameter('record', '');
  const [show, setShow] = useViewParameter('show', 'lines');
  const [columnText, setColumnText] = useViewParameter('cols', '');
  const [wrap, setWrap] = useViewParameter('wrap', '');
  const [density, setDensity] = useViewParameter('density', 'dense');
  const [markText, setMarkText] = useViewParameter('marks', '');
  const [fieldsShown, setFieldsShown] = useViewParameter('fields', '');
  const [around, setAround] = useViewParameter('around', '');
  const [asked, setAsked] = useViewParameter('ask', '');
  const [following, setFollowing] = useViewParameter('follow', '');
  const [selected, setSelected] = useState(-1);
  const scroller = useRef<HTMLDivElement>(null);
  const main = useRef<HTMLDivElement>(null);
  const pin = usePinning();
  const [parameters] = useSearchParams();
  const client = useQueryClient();
  const logs = useLogs(body, order);
  const count = useCount(body);
  const [follow, act] = useFollow(state.dataset, state.scope, following !== '');

  const columns = useMemo(() => columnsOf(columnText), [columnText]);
  const setColumns = (next: Column[]): void => setColumnText(next.length === 0 ? 'none' : columnsText(next));
  const chosen = useMemo(() => highlightsOf(markText), [markText]);
  const highlights = useMemo(
    (): Highlight[] => [...chosen, ...scopeTexts(state.scope)],
    [chosen, state.scope],
  );
  const { records: listed, soFar } = logs;
  const long = useLong(soFar !== undefined || logs.isPlaceholderData);
  const records = following === '' ? listed : follow.records;
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = logs;
  const more = useCallback(() => {
    if (hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [hasNextPage, isFetchingNextPage, fetchNextPage]);

  const openListed = openAt === '' ? undefined : records.find((record) => placeText(record) === openAt);
  // One that is not in the list, from a copied link or from around another, is fetched by its place.
  const openElsewhere = useRecordAt(state.dataset, openAt, openAt !== '' && !openListed);
  const open =
    openListed ?? (openElsewhere.isPlaceholderData ? undefined : (openElsewhere.data ?? undefined));
  const only = (term: string): void => change({ scope: narrow(state.scope, term) });
  const without = (term: string): void => change({ scope: narrow(state.scope, term, true) });
  const patternOf = (index: number): string => `pattern ${records[index]!.pattern}`;
  const pinLine = (record: LogRecord): void => {
    const opened = new URLSearchParams(parameters);
    opened.set('record', placeText(record));
    pin({
      address: `/logs?${opened.toString()}`,
      kind: 'line',
      title: record.text.slice(0, 200),
      seen: { time: record.time, service: record.service, line: record.line.slice(0, 4000) },
    });
  };
  useRowKeys(records.length, selected, setSelected, {
    Enter: (index) => setOpenAt(placeText(records[index]!)),
    i: (index) => only(patternOf(index)),
    x: (index) => without(patternOf(index)),
    p: (index) => pinLine(records[index]!),
    a: (index) => setAround(placeText(records[index]!)),
  });
  useKeys({
    Escape: () => {
      if (openAt !== '') setOpenAt('');
      else if (around !== '') setAround('');
      else if (asked !== '') setAsked('');
    },
    f: () => setFollowing(following === '' ? 'on' : ''),
    ' ': () => following !== '' && act(follow.paused ? 'go on' : 'pause'),
  });

  const matched = logs.data?.pages[0]?.matched ?? 0;
  const [askedWhat, askedTerm] = asked.includes('~')
    ? [asked.slice(0, asked.indexOf('~')), asked.slice(asked.indexOf('~') + 1)]
    : ['', ''];

  return (
    <section
      className={classes.view}
      aria-label="Logs"
      aria-busy={logs.isPlaceholderData || soFar !== undefined}
    >
      {fieldsShown !== '' && <FieldsPanel body={body} columns={columns} onColumns={setColumns} />}
      <div ref={main} className={classes.main} hidden={around !== ''}>
        <LinesTools
          finding={
            following !== ''
              ? `${plural(follow.matched, 'record')} came since following began.`
              : show === 'lines' && soFar
                ? `So far ${linesFinding(soFar.matched, state.scope !== '', listed[0], order)}`
                : show === 'lines' && logs.data
                  ? linesFinding(matched, state.scope !== '', listed[0], order)
                  : ''
          }
          show={show as Show}
          onShow={setShow}
          order={order}
          onOrder={setOrder}
          wrap={wrap !== ''}
          onWrap={(on) => setWrap(on ? 'on' : '')}
          roomy={density === 'roomy'}
          onRoomy={(on) => setDensity(on ? 'roomy' : 'dense')}
          fields={fieldsShown !== ''}
          onFields={(on) => setFieldsShown(on ? 'on' : '')}
          following={following !== ''}
          onFollow={(on) => setFollowing(on ? 'on' : '')}
          highlights={chosen}
          onUnmark={(text) => setMarkText(highlightsText(marked(chosen, text)))}
          body={body}
          columns={columns.map(({ field }) => field)}
          onJump={(moment) => {
            // The lines from that moment on, the oldest first.
            setOrder('oldest');
            change({ focus: { from: moment, to: Math.max(state.focus!.to, moment + 60_000) } });
          }}
        />
        {askedTerm !== '' && (askedWhat === 'count' || askedWhat === 'regularity') && (
          <AskedOf key={asked} what={askedWhat} term={askedTerm} body={body} onClose={() => setAsked('')} />
        )}
        {show !== 'lines' ? (
          <SummaryView body={body} show={show === 'chart' ? 'chart' : 'table'} />
        ) : (
          <>
            {following !== '' && (
              <FollowBar
                following={follow}
                onPause={(paused) => act(paused ? 'pause' : 'go on')}
                onEnd={() => setFollowing('')}
              />
            )}
            <MissingNote missing={soFar ? undefined : logs.data?.pages[0]?.missing} />
            {following === '' && long && logs.progress && (
              <LongWait progress={logs.progress} what="segments" queryKey="logs" />
            )}
            {following === '' && logs.isError ? (
              <Failure error={logs.error} onRetry={() => void logs.refetch()} />
            ) : following === '' && !logs.data && !soFar ? (
              <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['logs'] })} />
            ) : records.length === 0 && following === '' ? (
              <Nothing count={count.data} />
            ) : (
              <>
                <ColumnHeads columns={columns} onChange={setColumns} />
                <LinesList
                  records={records}
                  columns={columns}
                  highlights={highlights}
                  wrap={wrap !== ''}
                  density={density as keyof typeof ROW_HEIGHT}
                  selected={selected}
                  openId={open?.id ?? ''}
                  stale={following === '' && !soFar && logs.isPlaceholderData}
                  scroller={scroller}
                  onSelect={(index) => {
                    setSelected(index);
                    setOpenAt(placeText(records[index]!));
                    // Who reads a record does not want it to run away.
                    if (following !== '') act('pause');
                  }}
                  onEnd={more}
                />
              </>
            )}
          </>
        )}
      </div>
      {around !== '' && (
        <AroundView
          place={around}
          columns={columns}
          onColumns={setColumns}
          highlights={highlights}
          wrap={wrap !== ''}
          openId={open?.id ?? ''}
          onOpen={(record) => setOpenAt(placeText(record))}
          onBack={() => setAround('')}
        />
      )}
      <SelectionMenu
        within={main}
        onOnly={only}
        onWithout={without}
        onHighlight={(text) => setMarkText(highlightsText(marked(chosen, text)))}
        onCount={(term) => setAsked(`count~${term}`)}
        onRegularity={(term) => setAsked(`regularity~${term}`)}
      />
      {open && (
        <RecordPanel
          record={open}
          highlights={highlights}
          onClose={() => setOpenAt('')}
          onOnly={only}
          onWithout={without}
          onAround={() => setAround(placeText(open))}
          onRegularity={() => setAsked(`regularity~pattern ${open.pattern}`)}
          onPin={() => pinLine(open)}
          onAll={(field, value) => {
            change({ scope: `${field} = ${quoteValue(value)}` });
            setAround('');
          }}
        />
      )}
    </section>
  );
}
