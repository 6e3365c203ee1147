import type { PointsRead, SeriesIdentity } from '../series/series.js';

/** What was read of metrics, point by point. */
export const pointsIn = ({
  series,
}: PointsRead): { series: SeriesIdentity; at: number; columns: Record<string, number> }[] =>
  [...series].flatMap(([identity, gathered]) => {
    const { times, columns } = gathered.points();
    return Array.from(times, (at, place) => ({
      series: identity,
      at,
      columns: Object.fromEntries(
        [...columns].flatMap(([name, numbers]) =>
          Number.isNaN(numbers[place]) ? [] : [[name, numbers[place]!]],
        ),
      ),
    }));
  });
