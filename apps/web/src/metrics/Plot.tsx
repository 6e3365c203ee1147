import type { ChangeBody, PlotAnswer, ReadBody } from '@flail/contract';
import { useQueries } from '@tanstack/react-query';
import { useMemo, useRef } from 'react';
import { api } from '../api/client.js';
import type { DrawingHandle } from '../charts/Drawing.js';
import type { Span } from '../context/view-state.js';
import { saveText, savePicture } from '../export/save.js';
import { usePinning } from '../pins/usePinning.js';
import { Failure } from '../states/States.js';
import { useShown } from '../states/useShown.js';
import { csvOfPlots } from './csv.js';
import { plotFinding, type PlotSpec } from './plots.js';
import { PlotBody } from './PlotBody.js';
import { type PlotActions, PlotHead } from './PlotHead.js';
import classes from './metrics.module.css';

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

const NONE: readonly PlotAnswer[] = [];

/** One plot: what is drawn, what is to be seen in it, and the drawing. */
export function Plot({ spec, body, focus, lead, changes, selected, onSelect, onChange, onRemove }: Props) {
  const drawing = useRef<DrawingHandle>(null);
  const pin = usePinning();
  const asked = useQueries({
    queries: spec.sources.map((source) => ({
      queryKey: ['plot', body, source, spec.ghosts, lead],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        api.plot({ ...body, source, lead: lead / 1000, normal: true, ghosts: spec.ghosts }, signal),
      placeholderData: (before: PlotAnswer | undefined) => before,
    })),
    combine: (all) => ({
      data: all.flatMap(({ data }) => data ?? []),
      error: all.find(({ error }) => error)?.error,
      isPending: all.some(({ isPending }) => isPending),
      isPlaceholderData: all.some(({ isPlaceholderData }) => isPlaceholderData),
      again: () => all.forEach(({ refetch }) => void refetch()),
    }),
  });
  const { answer: answers = NONE, stale } = useShown<readonly PlotAnswer[]>(asked);
  const [first] = answers;
  const name = answers.map((one) => one.name).join(' and ');
  const actions = useMemo(
    (): PlotActions => ({
      pin: () =>
        pin({
          kind: 'chart',
          title: name,
          seen: { finding: first ? plotFinding(first, focus.from) : '' },
        }),
      savePng: () => void savePicture(`${name}.png`, drawing.current?.svg() ?? ''),
      saveSvg: () => saveText(`${name}.svg`, drawing.current?.svg() ?? '', 'image/svg+xml'),
      saveCsv: () => saveText(`${name}.csv`, csvOfPlots(answers), 'text/csv'),
      remove: onRemove,
    }),
    [pin, name, first, focus.from, answers, onRemove],
  );
  return (
    <article className={classes.plot} data-selected={selected} data-testid="plot" aria-label={name || 'plot'}>
      <PlotHead
        spec={spec}
        name={name}
        answer={first}
        selected={selected}
        onSelect={onSelect}
        onChange={onChange}
        actions={actions}
      />
      {asked.error ? (
        <Failure error={asked.error} onRetry={asked.again} />
      ) : (
        <PlotBody
          spec={spec}
          name={name}
          answers={answers}
          pending={asked.isPending}
          stale={stale}
          focus={focus}
          changes={changes}
          drawing={drawing}
        />
      )}
    </article>
  );
}
