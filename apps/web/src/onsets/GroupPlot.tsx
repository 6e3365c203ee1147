import type { PlotAnswer, SeriesSource } from '@flail/contract';
import { Skeleton } from '@mantine/core';
import { lazy, Suspense, useMemo } from 'react';
import { api } from '../api/client.js';
import { readBody, useAsked } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';

const PlotDrawing = lazy(() => import('../metrics/PlotDrawing.js'));

const HEIGHT = 150;

/** What a group did in the focus and before it, beside a day and a week ago. */
export function GroupPlot({ source, name }: { source: SeriesSource; name: string }) {
  const [state, change] = useViewState();
  const { focus } = state;
  const body = readBody(state);
  const plot = useAsked<PlotAnswer>(
    ['plot', body, source, 'group'],
    (signal) =>
      api.plot(
        {
          ...body!,
          // All members as one line, so that other days can be laid beside it.
          source: source.of === 'metric' ? { ...source, by: [] } : source,
          lead: (focus!.to - focus!.from) / 2000,
          normal: true,
          ghosts: ['day', 'week'],
          points: 120,
        },
        signal,
      ),
    body !== undefined,
  );
  const drawn = useMemo(
    () =>
      plot.data && focus && { answers: [plot.data], kind: 'line' as const, focus, changes: [], chosen: '' },
    [plot.data, focus],
  );
  if (plot.isError) return <p role="alert">{plot.error.message}</p>;
  if (!drawn) return <Skeleton height={HEIGHT} />;
  return (
    <figure aria-label={`${name} in the focus, a day ago and a week ago`}>
      <Suspense fallback={<Skeleton height={HEIGHT} />}>
        <PlotDrawing
          drawn={drawn}
          height={HEIGHT}
          onStretch={(from, to) => change({ focus: { from: Math.round(from), to: Math.round(to) } })}
          onPoint={() => undefined}
        />
      </Suspense>
      <figcaption className="soft">
        With what is normal as a band{drawn.answers[0]!.ghosts ? ', a day ago dashed, a week ago dotted' : ''}
        .
      </figcaption>
    </figure>
  );
}
