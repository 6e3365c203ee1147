import type { MarkKindName, PatternsSearchAnswer, PatternSummary, ReadBody } from '@flail/contract';
import { narrow } from '@flail/core/expression';
import { useQueryClient } from '@tanstack/react-query';
import { lazy, memo, Suspense, useEffect, useMemo, useRef, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { readBody, useCount, useNoise, usePatterns } from '../api/queries.js';
import { carriedParameters, useViewParameter, useViewState, writeState } from '../context/view-state.js';
import { fullCount, plural, shortCount } from '../format/numbers.js';
import { Choice } from '../frame/Choice.js';
import { useKeys, useRowKeys } from '../frame/keys.js';
import { useRowsInSight } from '../frame/useRowsInSight.js';
import { usePinning } from '../pins/usePinning.js';
import { Failure, Message, MissingNote, Nothing, Waiting } from '../states/States.js';
import { useShown } from '../states/useShown.js';
import { ChangeGroups, GROUPS } from './ChangeGroups.js';
import { GrainControl } from './GrainControl.js';
import { GroupingAtRow } from './Grouping.js';
import { noiseFinding } from './noise.js';
import { PatternRow } from './PatternRow.js';
import { found } from './rules.js';
import { patternFinding } from './sentence.js';
import { sentenceText } from './Sentence.js';
import { type Done, usePatternRules } from './usePatternRules.js';
import list from '../frame/list.module.css';
import classes from './patterns.module.css';

const NoiseReport = lazy(() => import('./NoiseReport.js'));
const PatternDetail = lazy(() => import('./PatternDetail.js'));
const RulesList = lazy(() => import('./RulesList.js'));

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
  const [state] = useViewState();
  const body = readBody(state);
  if (!body)
    return (
      <Message title="Patterns compare a bad time with a good one">
        <p>
          Draw the bad time on the timeband above, or type it there. The good time just before it is taken to
          compare with.
        </p>
      </Message>
    );
  return <Patterns body={body} />;
}

function Patterns({ body }: { body: ReadBody }) {
  const [order] = useViewParameter('order', 'surprise');
  const [grainText] = useViewParameter('grain', '');
  const client = useQueryClient();
  const patterns = usePatterns(body, order, Number(grainText) || undefined);
  const { answer, stale } = useShown(patterns);
  if (patterns.isError) return <Failure error={patterns.error} onRetry={() => void patterns.refetch()} />;
  if (!answer) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['patterns'] })} />;
  return <Answered body={body} answer={answer} stale={stale} />;
}

interface Props {
  body: ReadBody;
  answer: PatternsSearchAnswer;
  /** Whether another answer is on its way. */
  stale: boolean;
}

const Answered = memo(function Answered({ body, answer, stale }: Props) {
  const [state, change] = useViewState();
  const [order, setOrder] = useViewParameter('order', 'surprise');
  const [grainText, setGrain] = useViewParameter('grain', '');
  const [search, setSearch] = useViewParameter('find', '');
  const [group, setGroup] = useViewParameter('changed', '');
  const [openId, setOpenId] = useViewParameter('pattern', '');
  const [report, setReport] = useViewParameter('report', 'patterns');
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  const pin = usePinning();
  const grain = Number(grainText) || undefined;
  const count = useCount(body);
  const noise = useNoise(body, report === 'cost');
  const [done, setDone] = useState<Done>();
  const [grouping, setGrouping] = useState('');
  const [listing, setListing] = useState(false);
  const rules = usePatternRules(setDone);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [selected, setSelected] = useState(-1);
  const scroller = useRef<HTMLDivElement>(null);

  const rows = useMemo(() => {
    const kinds: readonly string[] | undefined = GROUPS.find(({ name }) => name === group)?.changes;
    return answer.patterns.filter(
      (row) => (!kinds || kinds.includes(row.change)) && (search === '' || found(row, search)),
    );
  }, [answer, group, search]);
  const virtual = useRowsInSight({ count: rows.length, height: ROW_HEIGHT, scroller });
  useEffect(() => {
    if (selected >= 0) virtual.scrollToIndex(selected, { align: 'auto' });
  }, [selected, virtual]);

  const only = (ids: readonly string[]): void =>
    change({
      scope: narrow(
        state.scope,
        ids.length === 1 ? `pattern ${ids[0]!}` : `(${ids.map((id) => `pattern ${id}`).join(' or ')})`,
      ),
    });
  const without = (ids: readonly string[]): void =>
    change({ scope: ids.reduce((scope, id) => narrow(scope, `pattern ${id}`, true), state.scope) });
  const mark = (ids: readonly string[], kind: MarkKindName): void =>
    rules.mark(
      ids.map((pattern) => ({ kind, pattern })),
      `${plural(ids.length, 'pattern')} ${kind === 'muted' ? 'muted' : `marked as ${kind}`}.`,
    );
  const lines = (row: PatternSummary): void => {
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
  const pinRow = (row: PatternSummary): void =>
    pin({
      kind: 'pattern',
      title: sentenceText(row.sentence).slice(0, 200),
      seen: { pattern: row.id, focus: row.focus, baseline: row.baseline, change: row.change },
    });
  const toggle = (id: string): void => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    setChosen(next);
  };
  useRowKeys(rows.length, selected, setSelected, {
    Enter: (index) => lines(rows[index]!),
    o: (index) => setOpenId(rows[index]!.id),
    i: (index) => only([rows[index]!.id]),
    x: (index) => without([rows[index]!.id]),
    m: (index) => mark([rows[index]!.id], 'muted'),
    p: (index) => pinRow(rows[index]!),
    s: (index) => toggle(rows[index]!.id),
  });
  useKeys({
    Escape: () => {
      if (openId !== '') setOpenId('');
      else setChosen(new Set());
    },
  });

  const most = Math.max(1, ...rows.map((row) => Math.max(row.focus, row.expected)));
  const open = answer.patterns.find(({ id }) => id === openId);
  const ids = [...chosen];
  const matched = answer.matched.focus + answer.muted.focus;

  return (
    <section className={classes.split} aria-label="Patterns" aria-busy={stale}>
      <div className={classes.view}>
        <div className={classes.head}>
          <p className={list.finding} data-testid="finding">
            {report === 'cost'
              ? noise.data && noiseFinding(noise.data)
              : patternFinding(answer, state.baseline !== undefined)}
          </p>
          <Choice
            aria-label="Shown as"
            data={[
              { value: 'patterns', label: 'patterns' },
              { value: 'cost', label: 'what they cost' },
            ]}
            value={report}
            onChange={setReport}
          />
        </div>
        {report === 'cost' ? (
          <Suspense fallback={null}>
            <NoiseReport body={body} onMute={({ pattern }) => mark([pattern], 'muted')} />
          </Suspense>
        ) : (
          <>
            <div className={classes.tools}>
              <input
                className={classes.search}
                placeholder="find in patterns"
                aria-label="Find in patterns"
                value={search}
                onChange={(event) => setSearch(event.currentTarget.value)}
              />
              {state.baseline && <ChangeGroups answer={answer} chosen={group} onChoose={setGroup} />}
              <GrainControl
                patterns={answer.grain.patterns}
                own={answer.grain.own}
                grain={grain}
                onChange={(next) => setGrain(next === undefined ? '' : String(next))}
              />
              <Choice data={ORDERS} value={order} onChange={setOrder} aria-label="Order of the patterns" />
            </div>
            {(answer.muted.patterns > 0 || done || rules.failure) && (
              <p className={classes.note} role="status" data-testid="note">
                {rules.failure && <span className={classes.failed}>{rules.failure.message} </span>}
                {done && (
                  <>
                    {done.words}
                    <button type="button" className="word" onClick={done.undo}>
                      undo
                    </button>
                  </>
                )}
                {answer.muted.patterns > 0 &&
                  ` ${plural(answer.muted.patterns, 'pattern')} hidden, ${Math.round((100 * answer.muted.focus) / Math.max(1, matched))}% of the lines.`}
                <button type="button" className="word" onClick={() => setListing(true)}>
                  marks and corrections
                </button>
              </p>
            )}
            {ids.length > 0 && (
              <div className={classes.chosen} role="toolbar" aria-label="What to do with those chosen">
                {plural(ids.length, 'pattern')} chosen:
                <button type="button" className="word" onClick={() => only(ids)}>
                  only these
                </button>
                <button type="button" className="word" onClick={() => without(ids)}>
                  without these
                </button>
                {ids.length > 1 && (
                  <button
                    type="button"
                    className="word"
                    onClick={() => {
                      rules.correct(
                        { kind: 'join', patterns: ids },
                        `Joined ${plural(ids.length, 'pattern')}.`,
                      );
                      setChosen(new Set());
                    }}
                  >
                    join
                  </button>
                )}
                {(['muted', 'known', 'worth reading'] as const).map((kind) => (
                  <button
                    key={kind}
                    type="button"
                    className="word"
                    onClick={() => {
                      mark(ids, kind);
                      setChosen(new Set());
                    }}
                  >
                    {kind === 'muted' ? 'mute' : kind}
                  </button>
                ))}
                <button type="button" className="word" onClick={() => setChosen(new Set())}>
                  none
                </button>
              </div>
            )}
            <div className={classes.columns} aria-hidden>
              <span />
              <span />
              <span>in focus, against baseline</span>
              <span>change</span>
              <span>over the focus</span>
              <span>pattern</span>
              <span>first seen</span>
            </div>
            {rows.length === 0 ? (
              answer.patterns.length === 0 ? (
                <Nothing count={count.data} />
              ) : (
                <Message title="No pattern of this kind">
                  <p>
                    None of {fullCount(answer.total)} patterns fits.{' '}
                    <button
                      type="button"
                      className="word"
                      onClick={() => {
                        setSearch('');
                        setGroup('');
                      }}
                    >
                      show all
                    </button>
                  </p>
                </Message>
              )
            ) : (
              <div ref={scroller} className={list.scroller} data-stale={stale}>
                <div role="list" style={{ height: virtual.getTotalSize(), position: 'relative' }}>
                  {virtual.getVirtualItems().map(({ index, start }) => {
                    const row = rows[index]!;
                    return (
                      <PatternRow
                        key={row.id}
                        row={row}
                        start={start}
                        height={ROW_HEIGHT}
                        most={most}
                        against={state.baseline !== undefined}
                        selected={index === selected || row.id === openId}
                        chosen={chosen.has(row.id)}
                        onChoose={() => toggle(row.id)}
                        onOpen={() => {
                          setSelected(index);
                          setOpenId(row.id === openId ? '' : row.id);
                        }}
                        onLines={() => lines(row)}
                        onOnly={() => only([row.id])}
                        onWithout={() => without([row.id])}
                        onMute={() => mark([row.id], 'muted')}
                        grouping={
                          <GroupingAtRow
                            id={row.id}
                            body={body}
                            rules={rules}
                            opened={grouping === row.id}
                            onOpened={(opened) => setGrouping(opened ? row.id : '')}
                          />
                        }
                      />
                    );
                  })}
                </div>
                <MissingNote missing={answer.missing} />
                {answer.patterns.length < answer.total && (
                  <p className={classes.more}>
                    The first {shortCount(answer.patterns.length)} of {shortCount(answer.total)} patterns in
                    this order.
                  </p>
                )}
              </div>
            )}
          </>
        )}
      </div>
      {open && report !== 'cost' && (
        <Suspense fallback={null}>
          <PatternDetail
            key={open.id}
            row={open}
            body={body}
            all={answer.matched.focus}
            rules={rules}
            onClose={() => setOpenId('')}
            onLines={() => lines(open)}
            onPin={() => pinRow(open)}
          />
        </Suspense>
      )}
      {listing && (
        <Suspense fallback={null}>
          <RulesList rules={rules} onClose={() => setListing(false)} />
        </Suspense>
      )}
    </section>
  );
});
