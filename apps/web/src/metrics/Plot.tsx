import type { AggregateName, ChangeBody, PlotAnswer, ReadBody, SeriesSource } from '@flail/contract';
import { Menu, Select, Skeleton } from '@mantine/core';
import { IconDots } from '@tabler/icons-react';
import { useQueries } from '@tanstack/react-query';
import { lazy, Suspense, useMemo, useRef, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import type { DrawingHandle } from '../charts/Drawing.js';
import { carriedParameters, type Span, useViewState, writeState } from '../context/view-state.js';
import { saveText, savePicture } from '../export/save.js';
import { dayTime } from '../format/times.js';
import { usePinning } from '../pins/usePinning.js';
import { Failure } from '../states/States.js';
import { csvOfPlots } from './csv.js';
import {
  AGGREGATES,
  LINE_KINDS,
  lineName,
  type LineKind,
  plotFinding,
  type PlotSpec,
  readingAt,
  sourceAbout,
} from './plots.js';
import classes from './metrics.module.css';

const PlotDrawing = lazy(() => import('./PlotDrawing.js'));

interface Props {
  spec: PlotSpec;
  body: ReadBody;
  focus: Span;
  /** Milliseconds before the focus that are drawn as well. */
  lead: number;
  changes: readonly ChangeBody[];
  selected: boolean;
  onSelect: () => void;
  onChange: (spec: PlotSpec) => void;
  onRemove: () => void;
}

const HEIGHT = 132;
const LABELS = ['instance', 'host', 'site', 'service'];

/** One plot: what is drawn, what is to be seen in it, and the drawing. */
export function Plot({ spec, body, focus, lead, changes, selected, onSelect, onChange, onRemove }: Props) {
  const [, change] = useViewState();
  const drawing = useRef<DrawingHandle>(null);
  const pin = usePinning();
  const [chosen, setChosen] = useState('');
  const [point, setPoint] = useState<{ moment: number; trace?: string }>();
  const answers = useQueries({
    queries: spec.sources.map((source) => ({
      queryKey: ['plot', body, source, spec.ghosts, lead],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        api.plot({ ...body, source, lead: lead / 1000, normal: true, ghosts: spec.ghosts }, signal),
      placeholderData: (before: PlotAnswer | undefined) => before,
    })),
    combine: (all) => ({
      data: all.flatMap(({ data }) => data ?? []),
      error: all.find(({ error }) => error)?.error,
      pending: all.some(({ isPending }) => isPending),
      stale: all.some(({ isPlaceholderData }) => isPlaceholderData),
      again: () => all.forEach(({ refetch }) => void refetch()),
    }),
  });
  const drawn = useMemo(
    () => ({ answers: answers.data, kind: spec.kind, focus, changes, chosen }),
    [answers.data, spec.kind, focus, changes, chosen],
  );
  const [first] = answers.data;
  const name = answers.data.map((one) => one.name).join(' and ');
  const source = spec.sources[0]!;
  const setSource = (next: SeriesSource): void =>
    onChange({ ...spec, sources: [next, ...spec.sources.slice(1)] });
  return (
    <article className={classes.plot} data-selected={selected} data-testid="plot" aria-label={name || 'plot'}>
      <header className={classes.plotHead}>
        <h2>
          <button type="button" className={classes.name} aria-pressed={selected} onClick={onSelect}>
            {name === '' ? '…' : name}
          </button>{' '}
          <span className="soft">{spec.sources.map(sourceAbout).filter(Boolean).join('; ')}</span>
        </h2>
        {source.of === 'metric' && first?.aggregate !== undefined && (
          <>
            <Select
              size="xs"
              w={74}
              aria-label={`How ${name} is put together`}
              data={[...AGGREGATES]}
              value={first.aggregate}
              allowDeselect={false}
              onChange={(value) => setSource({ ...source, aggregate: value as AggregateName })}
            />
            <Select
              size="xs"
              w={112}
              aria-label={`A line for each, of ${name}`}
              data={[
                { value: '', label: 'one line' },
                ...LABELS.map((label) => ({ value: label, label: `by ${label}` })),
              ]}
              value={source.by?.[0] ?? ''}
              allowDeselect={false}
              onChange={(value) => {
                setChosen('');
                setSource({ ...source, by: value ? [value] : [] });
              }}
            />
          </>
        )}
        <Select
          size="xs"
          w={70}
          aria-label={`How ${name} is drawn`}
          data={[...LINE_KINDS]}
          value={spec.kind}
          allowDeselect={false}
          onChange={(value) => onChange({ ...spec, kind: value as LineKind })}
        />
        {(['day', 'week'] as const).map((ghost) => (
          <button
            key={ghost}
            type="button"
            className="word"
            aria-pressed={spec.ghosts.includes(ghost)}
            data-on={spec.ghosts.includes(ghost)}
            onClick={() =>
              onChange({
                ...spec,
                ghosts: spec.ghosts.includes(ghost)
                  ? spec.ghosts.filter((one) => one !== ghost)
                  : [...spec.ghosts, ghost],
              })
            }
          >
            a {ghost} ago
          </button>
        ))}
        <Menu position="bottom-end" withinPortal>
          <Menu.Target>
            <button type="button" className={classes.more} aria-label={`More of ${name}`}>
              <IconDots size={16} />
            </button>
          </Menu.Target>
          <Menu.Dropdown>
            <Menu.Item
              onClick={() =>
                pin({
                  kind: 'chart',
                  title: name,
                  seen: { finding: first ? plotFinding(first, focus.from) : '' },
                })
              }
            >
              pin it, with this view
            </Menu.Item>
            <Menu.Item onClick={() => void savePicture(`${name}.png`, drawing.current?.svg() ?? '')}>
              as PNG
            </Menu.Item>
            <Menu.Item onClick={() => saveText(`${name}.svg`, drawing.current?.svg() ?? '', 'image/svg+xml')}>
              as SVG
            </Menu.Item>
            <Menu.Item onClick={() => saveText(`${name}.csv`, csvOfPlots(answers.data), 'text/csv')}>
              its numbers as CSV
            </Menu.Item>
            {spec.sources.length > 1 && (
              <Menu.Item onClick={() => onChange({ ...spec, sources: spec.sources.slice(0, -1) })}>
                take the last line out
              </Menu.Item>
            )}
            <Menu.Item onClick={onRemove}>remove this plot</Menu.Item>
          </Menu.Dropdown>
        </Menu>
      </header>
      {answers.error ? (
        <Failure error={answers.error} onRetry={answers.again} />
      ) : (
        <>
          <p className={classes.finding} data-testid="plot-finding">
            {first && spec.sources.length === 1
              ? plotFinding(first, focus.from)
              : first
                ? answers.data.map((one) => `${one.name}: ${plotFinding(one, focus.from)}`).join(' ')
                : ' '}
            {first && first.more > 0 && ` ${first.more} more lines are left out.`}
          </p>
          <div data-stale={answers.stale}>
            {answers.pending ? (
              <Skeleton height={HEIGHT} />
            ) : (
              <Suspense fallback={<Skeleton height={HEIGHT} />}>
                <PlotDrawing
                  ref={drawing}
                  drawn={drawn}
                  height={HEIGHT}
                  onStretch={(from, to) => change({ focus: { from: Math.round(from), to: Math.round(to) } })}
                  onPoint={(moment, trace) => setPoint({ moment, ...(trace !== undefined && { trace }) })}
                />
              </Suspense>
            )}
          </div>
          {first && first.lines.length > 1 && (
            <p className={classes.members} role="group" aria-label={`Lines of ${name}`}>
              {first.lines.slice(0, MOST_NAMED).map(({ labels }) => {
                const own = lineName(labels, first.name);
                return (
                  <button
                    key={own}
                    type="button"
                    className="word"
                    aria-pressed={own === chosen}
                    data-on={own === chosen}
                    onClick={() => setChosen(own === chosen ? '' : own)}
                  >
                    {own}
                  </button>
                );
              })}
              {first.lines.length > MOST_NAMED && (
                <span className="soft">and {first.lines.length - MOST_NAMED} more</span>
              )}
            </p>
          )}
          {point && first && (
            <Point answer={first} point={point} source={source} onClose={() => setPoint(undefined)} />
          )}
          <details className={classes.numbers}>
            <summary>as a table</summary>
            {first && <Numbers answer={first} />}
          </details>
        </>
      )}
    </article>
  );
}

const MOST_NAMED = 12;

/** What was measured at a moment that was pressed, and the ways on from it. */
function Point({
  answer,
  point: { moment, trace },
  source,
  onClose,
}: {
  answer: PlotAnswer;
  point: { moment: number; trace?: string };
  source: SeriesSource;
  onClose: () => void;
}) {
  const [parameters] = useSearchParams();
  const [state] = useViewState();
  const navigate = useNavigate();
  const step = Math.max(60_000, answer.step * 1000);
  const from = Math.floor(moment / step) * step;
  const go = (path: string, more: Record<string, string>, scope?: string): void => {
    const next = writeState(carriedParameters(parameters), {
      focus: { from, to: from + step },
      scope: scope ?? state.scope,
    });
    for (const [name, value] of Object.entries(more)) next.set(name, value);
    void navigate(`${path}?${next.toString()}`, {
      state: {
        carried: `${dayTime(from)}, from ${answer.name}`,
        back: `${location.pathname}${location.search}`,
      },
    });
  };
  const service =
    source.of === 'metric'
      ? source.where?.service?.[0]
      : source.of === 'requests'
        ? source.service
        : undefined;
  const scope = service === undefined ? undefined : `service = "${service}"`;
  return (
    <p className={classes.point} data-testid="point">
      {readingAt(answer, moment)}.
      <button
        type="button"
        className="word"
        onClick={() => go('/logs', {}, source.of === 'pattern' ? `pattern ${source.pattern}` : scope)}
      >
        lines of then
      </button>
      <button type="button" className="word" onClick={() => go('/requests', {}, scope)}>
        requests of then
      </button>
      {trace !== undefined && (
        <button type="button" className="word" onClick={() => go('/requests', { request: trace })}>
          this sample request
        </button>
      )}
      <button type="button" className="word" onClick={() => go('/onsets', {})}>
        what moved then
      </button>
      <button type="button" className="word" onClick={onClose}>
        close
      </button>
    </p>
  );
}

function Numbers({ answer: { lines, name, from, step, unit } }: { answer: PlotAnswer }) {
  const start = Date.parse(from);
  return (
    <table>
      <thead>
        <tr>
          <th>time</th>
          {lines.slice(0, 8).map(({ labels }) => (
            <th key={lineName(labels, name)}>
              {lineName(labels, name)} {unit}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {(lines[0]?.values ?? []).map((_, at) => (
          <tr key={at}>
            <td>{dayTime(start + at * step * 1000)}</td>
            {lines.slice(0, 8).map(({ labels, values }) => (
              <td key={lineName(labels, name)}>{values[at] ?? '–'}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
