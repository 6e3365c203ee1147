import {
  encodePoints,
  type Exemplar,
  mergePoints,
  type PointsRead,
  type SeriesIdentity,
  type SeriesPart,
} from '@flail/core/series';

/** Points of one series, as they are written ahead. */
export interface FreshPoints {
  from: number;
  to: number;
  count: number;
  bytes: Uint8Array;
}

/** What was read of metrics, ready to be stored: points by series; exemplars name theirs by its place. */
export interface EncodedPoints {
  series: { identity: SeriesIdentity; points: FreshPoints }[];
  exemplars: (Omit<Exemplar, 'series'> & { series: number })[];
  count: number;
}

/** Gathers points by their series. */
export function encodePointsRead({ points, exemplars }: PointsRead): EncodedPoints {
  const places = new Map<SeriesIdentity, number>();
  const gathered: { identity: SeriesIdentity; times: number[]; columns: Map<string, number[]> }[] = [];
  for (const { series, at, columns } of points) {
    let place = places.get(series);
    if (place === undefined) {
      places.set(series, (place = gathered.length));
      gathered.push({ identity: series, times: [], columns: new Map() });
    }
    const own = gathered[place]!;
    for (const name in columns) {
      let numbers = own.columns.get(name);
      if (!numbers) own.columns.set(name, (numbers = []));
      while (numbers.length < own.times.length) numbers.push(NaN);
      numbers.push(columns[name]!);
    }
    own.times.push(at);
  }
  return {
    series: gathered.map(({ identity, times, columns }) => ({
      identity,
      points: {
        from: times.reduce((least, time) => Math.min(least, time), Infinity),
        to: times.reduce((most, time) => Math.max(most, time), -Infinity),
        count: times.length,
        bytes: encodePoints({
          times: Float64Array.from(times),
          columns: new Map(
            [...columns].map(([name, numbers]) => [
              name,
              Float64Array.from(times, (_, at) => numbers[at] ?? NaN),
            ]),
          ),
        }),
      },
    })),
    exemplars: telling(exemplars).flatMap(({ series, ...rest }) => {
      const place = places.get(series);
      return place === undefined ? [] : [{ ...rest, series: place }];
    }),
    count: points.length,
  };
}

/** Points that are by series already. */
export function encodeParts(parts: readonly SeriesPart[]): EncodedPoints {
  const filled = parts.filter(({ points }) => points.times.length > 0);
  return {
    series: filled.map(({ series, points }) => {
      // Merging a single part puts it in the order of time.
      const ordered = mergePoints([points]);
      const { times } = ordered;
      const bytes = encodePoints(ordered);
      return { identity: series, points: { from: times[0]!, to: times.at(-1)!, count: times.length, bytes } };
    }),
    exemplars: filled.flatMap(({ exemplars }, series) =>
      exemplars.map((exemplar) => ({ ...exemplar, series })),
    ),
    count: filled.reduce((sum, { points }) => sum + points.times.length, 0),
  };
}

/** Exemplars of one series that are kept of a request. */
const EXEMPLARS_OF_REQUEST = 4;

/** The exemplars that tell most: those of the largest values of each series. */
function telling(exemplars: readonly Exemplar[]): Exemplar[] {
  const bySeries = new Map<SeriesIdentity, Exemplar[]>();
  for (const exemplar of exemplars) {
    const own = bySeries.get(exemplar.series);
    if (own) own.push(exemplar);
    else bySeries.set(exemplar.series, [exemplar]);
  }
  return [...bySeries.values()].flatMap((own) =>
    own.sort((a, b) => b.value - a.value).slice(0, EXEMPLARS_OF_REQUEST),
  );
}

const HEAD = 8;

/** One row to be written ahead: the points of a request, by series. */
export function encodeBatch(points: readonly (readonly [series: number, points: FreshPoints])[]): Buffer {
  return Buffer.concat(
    points.flatMap(([series, { bytes }]) => {
      const head = Buffer.alloc(HEAD);
      head.writeUInt32LE(series, 0);
      head.writeUInt32LE(bytes.length, 4);
      return [head, bytes];
    }),
  );
}

/** Reads what `encodeBatch` wrote. */
export function* decodeBatch(data: Buffer): Generator<[series: number, bytes: Uint8Array]> {
  for (let at = 0; at < data.length;) {
    const length = data.readUInt32LE(at + 4);
    yield [data.readUInt32LE(at), data.subarray(at + HEAD, at + HEAD + length)];
    at += HEAD + length;
  }
}
