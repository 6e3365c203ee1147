import { climbOf, type Deviation, deviationOf, type Moved, silenceOf } from '@flail/core/onsets';
import type { Window } from '@flail/core';
import { limitedBy, limitNames, type Regular } from '@flail/core/series';
import type { Progress } from '../told/progress.js';
import type { SeriesTable } from './series-table.js';

const SECOND = 1_000_000;
/** A silence counts for as much as so many spreads. */
const SILENT = 20;
/** Series after which others get a turn. */
const AT_ONCE = 50;

/** Looks through all series for what left its normal range in the focus. */
export async function scanSeries(
  table: SeriesTable,
  window: Window,
  progress: Progress,
): Promise<{ moved: Moved[]; scanned: number }> {
  // Behind the last that was measured of anything, nothing can be said to be silent.
  const last = Math.max(...table.map(({ series }) => lastKnown(series)));
  const focus = { from: window.from / SECOND, to: Math.min(window.to / SECOND, last) };
  const moved: Moved[] = [];
  const limits = limitsIn(table);
  for (const [at, { series, told, always, ...row }] of table.entries()) {
    if (at % AT_ONCE === 0) {
      progress.tell(at, table.length);
      await new Promise((resolve) => setImmediate(resolve));
    }
    // What climbs for hours only goes on doing so in the focus.
    const climb = limits.climb(row, series, focus);
    const deviation = climb ?? deviationOf(series, focus, told);
    if (deviation) moved.push({ ...row, ...(climb && { kind: 'saturation' }), deviation });
    const silence = !deviation && always && silenceOf(series, focus);
    if (silence)
      moved.push({
        ...row,
        kind: 'availability',
        deviation: {
          ...silence,
          within: series.step,
          side: 'below',
          value: 0,
          spreads: SILENT,
          silent: true,
        },
      });
  }
  return { moved, scanned: table.length };
}

/** Series that others have as their limit: of the same labels, named as they or as the group that they are of. */
function limitsIn(table: SeriesTable) {
  const keyOf = (metric: string, labels: Record<string, string>): string =>
    JSON.stringify([metric, Object.entries(labels).sort()]);
  const known = new Map<string, Regular>();
  for (const { drawn, series } of table)
    if (drawn.of === 'metric' && limitedBy(drawn.metric) !== undefined)
      known.set(keyOf(drawn.metric, drawn.labels), series);
  const climb = (
    { drawn }: Pick<Moved, 'drawn'>,
    series: Regular,
    focus: { from: number; to: number },
  ): Deviation | undefined => {
    if (drawn.of !== 'metric') return undefined;
    const limit = limitNames(drawn.metric)
      .map((name) => known.get(keyOf(name, drawn.labels)))
      .find((found) => found !== undefined);
    return limit && climbOf(series, limit, focus);
  };
  return { climb };
}

/** End of the last step that has a value, seconds. */
function lastKnown({ from, step, values }: Regular): number {
  let at = values.length;
  while (at > 0 && Number.isNaN(values[at - 1]!)) at--;
  return from + at * step;
}
