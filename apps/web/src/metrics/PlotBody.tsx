import type { ChangeBody, PlotAnswer } from '@flail/contract';
import { Skeleton } from '@mantine/core';
import { lazy, memo, type Ref, Suspense, useMemo, useState } from 'react';
import type { DrawingHandle } from '../charts/Drawing.js';
import { type Span, useViewState } from '../context/view-state.js';
import { lineName, plotFinding, type PlotSpec } from './plots.js';
import { PlotNumbers } from './PlotNumbers.js';
import { PlotPoint } from './PlotPoint.js';
import classes from './metrics.module.css';

const PlotDrawing = lazy(() => import('./PlotDrawing.js'));

const HEIGHT = 132;
const MOST_NAMED = 12;

interface Props {
  spec: PlotSpec;
  name: string;
  answers: readonly PlotAnswer[];
  /** Nothing was answered yet. */
  pending: boolean;
  /** Another answer is on its way. */
  stale: boolean;
  focus: Span;
  changes: readonly ChangeBody[];
  drawing: Ref<DrawingHandle>;
}

/** What is to be seen in a plot, its drawing and the names of its lines. */
export const PlotBody = memo(function PlotBody({
  spec,
  name,
  answers,
  pending,
  stale,
  focus,
  changes,
  drawing,
}: Props) {
  const [, change] = useViewState();
  const [chosen, setChosen] = useState('');
  const [point, setPoint] = useState<{ moment: number; trace?: string }>();
  const [first] = answers;
  const names = first ? first.lines.map(({ labels }) => lineName(labels, first.name)) : [];
  // What was chosen among other lines is chosen no more.
  const lit = names.includes(chosen) ? chosen : '';
  const drawn = useMemo(
    () => ({ answers, kind: spec.kind, focus, changes, chosen: lit }),
    [answers, spec.kind, focus, changes, lit],
  );
  return (
    <>
      <p className={classes.finding} data-testid="plot-finding">
        {findingOf(answers, spec, focus)}
      </p>
      <div data-stale={stale}>
        {pending ? (
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
      {names.length > 1 && (
        <p className={classes.members} role="group" aria-label={`Lines of ${name}`}>
          {names.slice(0, MOST_NAMED).map((own) => (
            <button
              key={own}
              type="button"
              className="word"
              aria-pressed={own === lit}
              data-on={own === lit}
              onClick={() => setChosen(own === lit ? '' : own)}
            >
              {own}
            </button>
          ))}
          {names.length > MOST_NAMED && <span className="soft">and {names.length - MOST_NAMED} more</span>}
        </p>
      )}
      {point && first && (
        <PlotPoint
          answer={first}
          point={point}
          source={spec.sources[0]!}
          onClose={() => setPoint(undefined)}
        />
      )}
      {first && <PlotNumbers answer={first} />}
    </>
  );
});

function findingOf(answers: readonly PlotAnswer[], { sources }: PlotSpec, focus: Span): string {
  const [first] = answers;
  // A line is kept free for what will be found.
  if (!first) return '\u00a0';
  const found =
    sources.length === 1
      ? plotFinding(first, focus.from)
      : answers.map((one) => `${one.name}: ${plotFinding(one, focus.from)}`).join(' ');
  return first.more > 0 ? `${found} ${first.more} more lines are left out.` : found;
}
