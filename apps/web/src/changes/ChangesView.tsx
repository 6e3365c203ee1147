import type { ChangeBody, OnsetsSearchAnswer } from '@flail/contract';
import { foldChanges } from '@flail/core/changes';
import { SegmentedControl, TextInput } from '@mantine/core';
import { useElementSize } from '@mantine/hooks';
import { useQueryClient } from '@tanstack/react-query';
import { scaleTime } from 'd3-scale';
import { useMemo, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import { readBody, useChanges, useHeld } from '../api/queries.js';
import { useTold } from '../api/useTold.js';
import {
  carriedParameters,
  type Span,
  useViewParameter,
  useViewState,
  writeState,
} from '../context/view-state.js';
import { dayTime, duration } from '../format/times.js';
import { useKeys, useRowKeys } from '../frame/keys.js';
import { groupName } from '../onsets/sentences.js';
import { usePinning } from '../pins/usePinning.js';
import { Failure, Message, Waiting } from '../states/States.js';
import { byOf, changesFinding, KIND_GLYPHS, stepOf, textOf } from './changes.js';
import { Revert } from './Revert.js';
import list from '../frame/list.module.css';
import classes from './changes.module.css';

const DAY = 86_400_000;
const REACHES = ['near', 'day', 'all'] as const;

/** What was changed, by whom, and what moved after it. */
export function ChangesView() {
  const [state] = useViewState();
  const held = useHeld().data;
  const [reach, setReach] = useViewParameter('reach', state.focus ? 'near' : 'day');
  if (!held?.span) return null;
  const to = state.focus?.to ?? held.until;
  const length = state.focus ? state.focus.to - state.focus.from : DAY;
  const span: Span =
    reach === 'all'
      ? held.span
      : { from: reach === 'day' ? to - DAY : to - length - Math.max(length, 3_600_000), to };
  return <Changes span={span} reach={reach} onReach={setReach} />;
}

interface Row extends ChangeBody {
  brought: ChangeBody[];
}

function Changes({ span, reach, onReach }: { span: Span; reach: string; onReach: (reach: string) => void }) {
  const [state] = useViewState();
  const client = useQueryClient();
  const [find, setFind] = useViewParameter('find', '');
  const [kind, setKind] = useViewParameter('kind', '');
  const [chosenId, setChosen] = useViewParameter('change', '');
  const changes = useChanges(state.dataset, span);
  const body = readBody(state);
  const onsets = useTold(['onsets', body], (told, signal) => api.onsets(body!, told, signal), {
    enabled: body !== undefined,
  });
  const rows = useMemo(() => rowsOf(changes.data?.changes ?? []), [changes.data]);
  const shown = rows.filter(
    (row) => (kind === '' || row.kind === kind) && (find === '' || textOf(row).includes(find.toLowerCase())),
  );
  const selected = shown.findIndex(({ id }) => id === chosenId);
  useRowKeys(shown.length, selected, (index) => setChosen(shown[index]!.id), {});
  useKeys({ Escape: () => setChosen('') });
  if (changes.isError) return <Failure error={changes.error} onRetry={() => void changes.refetch()} />;
  if (!changes.data) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['changes'] })} />;
  const kinds = [...new Set(rows.map((row) => row.kind))];
  const chosen = shown[selected];
  return (
    <section className={classes.view} aria-label="Changes" data-stale={changes.isPlaceholderData}>
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {changesFinding(rows, state.focus, onsets.data)}
        </p>
        <SegmentedControl
          size="xs"
          aria-label="How far back"
          data={REACHES.map((value) => ({
            value,
            label: { near: 'around the focus', day: 'a day', all: 'all held' }[value],
          }))}
          value={reach}
          onChange={onReach}
        />
        <TextInput
          w={170}
          aria-label="Find changes"
          placeholder="service, key, who"
          value={find}
          onChange={({ currentTarget }) => setFind(currentTarget.value)}
        />
      </div>
      <Lane rows={shown} span={span} focus={state.focus} chosen={chosenId} onChoose={setChosen} />
      <p className={classes.kinds} role="group" aria-label="Kinds of changes">
        {kinds.map((one) => (
          <button
            key={one}
            type="button"
            className="word"
            aria-pressed={kind === one}
            data-on={kind === one}
            onClick={() => setKind(kind === one ? '' : one)}
          >
            {KIND_GLYPHS[one] ?? '·'} {one} {rows.filter((row) => row.kind === one).length}
          </button>
        ))}
        {changes.data.total > changes.data.changes.length && (
          <span className="soft">
            The newest {changes.data.changes.length} of {changes.data.total}.
          </span>
        )}
      </p>
      <div className={classes.two}>
        <div className={list.scroller} tabIndex={0} aria-label="Changes, the newest first">
          {shown.length === 0 ? (
            <Message title={rows.length === 0 ? 'Nothing was changed' : 'No change has these words'}>
              <p>
                {rows.length === 0
                  ? 'No change was told of in this time. Changes come as CloudEvents; see docs/sending-data.md.'
                  : 'Other words, another kind, or a longer time may have some.'}
              </p>
            </Message>
          ) : (
            <table className={classes.table}>
              <tbody>
                {shown.map((row) => (
                  <ChangeRow
                    key={`${row.source} ${row.id}`}
                    row={row}
                    selected={row.id === chosenId}
                    onsets={onsets.data}
                    onChoose={() => setChosen(row.id === chosenId ? '' : row.id)}
                  />
                ))}
              </tbody>
            </table>
          )}
        </div>
        {chosen && (
          <Chosen row={chosen} onsets={onsets.data} canRevert={changes.data.actions.includes('revert')} />
        )}
      </div>
    </section>
  );
}

/** The newest first; restarts stand with what brought them about. */
function rowsOf(changes: readonly ChangeBody[]): Row[] {
  const byId = new Map(changes.map((change) => [change.id, change]));
  return foldChanges(
    changes.map(({ id, time, kind, entity }) => ({
      id,
      at: Date.parse(time) * 1000,
      kind,
      service: entity.service ?? '',
    })),
  )
    .map(({ id, brought }) => ({ ...byId.get(id)!, brought: brought.map((one) => byId.get(one)!) }))
    .reverse();
}

const LANE = 64;

/** Changes on an axis of time, a line for each kind. */
function Lane({
  rows,
  span,
  focus,
  chosen,
  onChoose,
}: {
  rows: readonly Row[];
  span: Span;
  focus: Span | undefined;
  chosen: string;
  onChoose: (id: string) => void;
}) {
  const { ref, width } = useElementSize();
  const x = scaleTime([span.from, span.to], [12, Math.max(100, width - 12)]);
  const kinds = [...new Set(rows.map(({ kind }) => kind))];
  const y = (kind: string): number =>
    24 + ((kinds.indexOf(kind) + 0.5) / Math.max(1, kinds.length)) * (LANE - 28);
  return (
    <div ref={ref} className={classes.lane}>
      <svg
        width={width}
        height={LANE}
        role="img"
        aria-label={`${rows.length} changes over time; the list follows`}
      >
        {focus && (
          <rect
            x={x(Math.max(span.from, focus.from))}
            width={Math.max(1, x(focus.to) - x(Math.max(span.from, focus.from)))}
            y={16}
            height={LANE - 16}
            className={classes.focus}
          />
        )}
        {x.ticks(8).map((tick) => (
          <g key={tick.getTime()}>
            <line x1={x(tick)} x2={x(tick)} y1={16} y2={LANE} className={classes.grid} />
            <text x={x(tick)} y={11} textAnchor="middle" className={classes.tick}>
              {dayTime(tick.getTime()).slice(span.to - span.from > 2 * DAY ? 0 : -5)}
            </text>
          </g>
        ))}
        {rows.map(({ id, time, kind, title }) => (
          <g key={id} onClick={() => onChoose(id)} className={classes.mark} data-chosen={id === chosen}>
            <line x1={x(Date.parse(time))} x2={x(Date.parse(time))} y1={16} y2={LANE} />
            <text x={x(Date.parse(time)) + 3} y={y(kind) + 4}>
              {KIND_GLYPHS[kind] ?? '·'}
            </text>
            <title>{`${dayTime(time)} ${title}`}</title>
          </g>
        ))}
      </svg>
    </div>
  );
}

/** What moved first after a change that may have to do with it. */
function thenOf({ id }: ChangeBody, onsets: OnsetsSearchAnswer | undefined): string {
  const then = onsets?.changes.find((one) => one.id === id)?.then;
  if (!then) return '';
  const after = then.seconds < 60 ? 'less than a minute' : duration(Math.round(then.seconds / 60) * 60_000);
  return `${after} before ${groupName(onsets.groups[then.group]!)} moved`;
}

function ChangeRow({
  row,
  selected,
  onsets,
  onChoose,
}: {
  row: Row;
  selected: boolean;
  onsets: OnsetsSearchAnswer | undefined;
  onChoose: () => void;
}) {
  const { time, kind, title, entity, brought } = row;
  const step = stepOf(row);
  return (
    <tr data-selected={selected} data-testid="change">
      <td className={classes.glyph} title={kind}>
        {KIND_GLYPHS[kind] ?? '·'}
      </td>
      <td className={classes.time}>{dayTime(time)}</td>
      <td>
        <button type="button" className={classes.open} aria-expanded={selected} onClick={onChoose}>
          {title}
        </button>
        {brought.length > 0 && (
          <span className="soft">
            {' '}
            with {brought.length === 1 ? 'a restart' : `${brought.length} restarts`}
          </span>
        )}
        {step && !title.includes('→') && <span className="soft"> {`${step.from} → ${step.to}`}</span>}
      </td>
      <td className="soft">
        {[entity.instance ?? entity.service, entity.host].filter(Boolean).join(' on ')}
      </td>
      <td className="soft">{byOf(row)}</td>
      <td className={classes.then}>{thenOf(row, onsets)}</td>
    </tr>
  );
}

const MINUTE = 60_000;

function Chosen({
  row,
  onsets,
  canRevert,
}: {
  row: Row;
  onsets: OnsetsSearchAnswer | undefined;
  canRevert: boolean;
}) {
  const [, change] = useViewState();
  const [parameters] = useSearchParams();
  const [all, setAll] = useState(false);
  const navigate = useNavigate();
  const pin = usePinning();
  const { time, title, kind, source, entity, details, brought } = row;
  const step = stepOf(row);
  const around = { from: Date.parse(time) - 10 * MINUTE, to: Date.parse(time) + 30 * MINUTE };
  const go = (path: string): void => {
    const next = writeState(carriedParameters(parameters), { focus: around });
    void navigate(`${path}?${next.toString()}`, {
      state: { carried: `${dayTime(time)}, ${title}`, back: `${location.pathname}${location.search}` },
    });
  };
  const then = thenOf(row, onsets);
  return (
    <aside className={classes.panel} aria-label="The change in full" data-testid="change-detail" tabIndex={0}>
      <h2>{title}</h2>
      <p className="soft">
        {kind}, {dayTime(time)}
        {byOf(row) !== '' && `, by ${byOf(row)}`}, told by {source}
      </p>
      {step && (
        <p className={classes.diff}>
          <span className="mono">{step.key}</span>
          <del>{step.from}</del> <ins>{step.to}</ins>
        </p>
      )}
      {then !== '' && <p>It came {then}. That is an order in time, no proof.</p>}
      <p>
        <button type="button" className="word" onClick={() => change({ focus: around })}>
          focus around it
        </button>
        <button type="button" className="word" onClick={() => go('/onsets')}>
          what moved after it
        </button>
        <button type="button" className="word" onClick={() => go('/patterns')}>
          what the logs said
        </button>
        <button
          type="button"
          className="word"
          onClick={() =>
            pin({ kind: 'change', title, seen: { time, ...(step && { from: step.from, to: step.to }) } })
          }
        >
          pin
        </button>
      </p>
      {canRevert && <Revert id={row.id} title={title} />}
      <table className={classes.facts}>
        <tbody>
          {Object.entries(entity).map(([name, value]) => (
            <tr key={name}>
              <td className="soft">{name}</td>
              <td>{value}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {brought.length > 0 && (
        <>
          <h2>It brought about</h2>
          {brought.map((one) => (
            <p key={one.id}>
              <span className="soft">{dayTime(one.time)}</span> {one.title}
            </p>
          ))}
        </>
      )}
      <button type="button" className="word" onClick={() => setAll(!all)} aria-expanded={all}>
        as it was told
      </button>
      {all && <pre className={classes.raw}>{JSON.stringify(details, null, 2)}</pre>}
    </aside>
  );
}
