import type { SeriesSource } from '@flail/contract';
import type { Window } from '@flail/core';
import {
  comparedOf,
  type Deviation,
  deviationOf,
  type HowTold,
  type Moved,
  type SeriesOf,
  type Together,
  together,
} from '@flail/core/onsets';
import type { Regular } from '@flail/core/series';
import { discoveries } from '@flail/core/statistics';
import type { MovedWithQuestion } from '../requests/analysis-tasks.js';
import type { Progress } from '../told/progress.js';
import type { SeriesTable, TableRow } from './series-table.js';

const SECOND = 1_000_000;
/** Series after which others get a turn. */
const AT_ONCE = 50;
/** Share of the series named that may have moved together by chance. */
export const CHANCE = 0.05;
/** Weaker than this is no news, however sure. */
const LEAST = 0.25;

type Named = Pick<Moved, 'measure' | 'service' | 'member' | 'drawn'>;

export interface MovedWithFound {
  /** The strongest first. */
  with: (Named & { correlation: number; lag: number })[];
  /** Those that stayed as they always are. */
  still: Named[];
  compared: number;
}

/** Which series moved with one, over a window, and which stayed as they always are. */
export async function movedWith(
  table: SeriesTable,
  { target, source, more, compared }: Pick<MovedWithQuestion, 'target' | 'source' | 'more' | 'compared'>,
  focus: Window,
  progress: Progress,
): Promise<MovedWithFound> {
  const window = { from: compared.from / SECOND, to: compared.to / SECOND };
  const others = [...table, ...more].filter(({ drawn }) => !isPartOf(drawn, source));
  const seconds = { from: focus.from / SECOND, to: focus.to / SECOND };
  const deviates = (series: Regular, told?: HowTold): Deviation | undefined =>
    deviationOf(series, seconds, told);
  const one = comparedOf(target, window, deviates(target));
  const past = (window.from - target.from) / target.step;
  const found: (Together | undefined)[] = [];
  const moved = new Set<TableRow>();
  for (const [at, row] of others.entries()) {
    if (at % AT_ONCE === 0) {
      progress.tell(at, others.length);
      await new Promise((resolve) => setImmediate(resolve));
    }
    const deviation = deviates(row.series, row.told);
    if (deviation) moved.add(row);
    found.push(together(one, comparedOf(row.series, window, deviation), target.step, past));
  }
  const known = found.flatMap((one, at) => (one ? [{ ...one, row: others[at]! }] : []));
  const held = discoveries(
    known.map(({ chance }) => chance),
    CHANCE,
  );
  const named = known
    .filter(({ correlation }, at) => held[at] && Math.abs(correlation) >= LEAST)
    .sort((a, b) => Math.abs(b.correlation) - Math.abs(a.correlation));
  const rows = new Set(named.map(({ row }) => row));
  return {
    with: named.map(({ row, correlation, lag }) => ({ ...brief(row), correlation, lag })),
    still: others.filter((row, at) => found[at] && !rows.has(row) && !moved.has(row)).map(brief),
    compared: known.length,
  };
}

const brief = ({ measure, service, member, drawn }: TableRow): Named => ({ measure, service, member, drawn });

/** Whether a series is one of those that a source puts together. */
function isPartOf(drawn: SeriesOf, source: SeriesSource): boolean {
  if (drawn.of === 'metric' && source.of === 'metric')
    return (
      drawn.metric === source.metric &&
      Object.entries(source.where ?? {}).every(([label, values]) =>
        values.includes(drawn.labels[label] ?? ''),
      )
    );
  if (drawn.of === 'requests' && source.of === 'requests')
    return (
      drawn.figure === source.figure &&
      (source.service === undefined || drawn.service === source.service) &&
      (source.operation === undefined || drawn.operation === source.operation)
    );
  return drawn.of === 'pattern' && source.of === 'pattern' && drawn.pattern === source.pattern;
}
