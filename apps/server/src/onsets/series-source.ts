import type { OnsetMember, SeriesSource } from '@flail/contract';
import type { Deviation, SeriesOf } from '@flail/core/onsets';
import { momentText } from '@flail/core/time';

const SECOND = 1_000_000;

/** Of what never moved at all nothing tells how far off it is; more than so many spreads say nothing more. */
const FURTHEST = 1000;

export const deviationBody = ({
  onset,
  within,
  end,
  goesOn,
  side,
  value,
  usual,
  spreads,
  silent,
  limitIn,
}: Deviation): Omit<OnsetMember, 'member'> => ({
  side,
  onset: momentText(Math.round(onset * SECOND)),
  within,
  end: momentText(Math.round(end * SECOND)),
  goesOn,
  value,
  usual,
  spreads: Math.min(spreads, FURTHEST),
  ...(silent && { silent }),
  ...(limitIn !== undefined && { limitIn }),
});

/** What draws some series of one measure together, with a line for each. */
export function sourceOf(drawn: readonly SeriesOf[]): SeriesSource {
  const [first] = drawn;
  if (first!.of === 'pattern') return first!;
  if (first!.of === 'requests') {
    const { figure, service, operation } = first!;
    return drawn.length === 1
      ? { of: 'requests', figure, service, operation }
      : { of: 'requests', figure, service };
  }
  const { metric, aggregate } = first!;
  const own = drawn.flatMap((one) => (one.of === 'metric' ? [one.labels] : []));
  const names = [...new Set(own.flatMap(Object.keys))];
  const where: Record<string, string[]> = {};
  for (const name of names) where[name] = [...new Set(own.map((labels) => labels[name] ?? ''))];
  const by = names.filter((name) => where[name]!.length > 1);
  return { of: 'metric', metric, where, ...(by.length > 0 && { by }), aggregate };
}
