import {
  encodePoints,
  type Exemplar,
  mergePoints,
  type PointsRead,
  type SeriesIdentity,
  type SeriesPart,
  type SeriesPoints,
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

/** Points as they were read, by their series. */
export function encodePointsRead({ series, exemplars }: PointsRead): EncodedPoints {
  const filled = [...series].filter(([, { times }]) => times.length > 0);
  const places = new Map(filled.map(([identity], place) => [identity, place]));
  return {
    series: filled.map(([identity, gathered]) => ({
      identity,
      points: freshPoints(gathered.points()),
    })),
    exemplars: telling(exemplars).flatMap(({ series: own, ...rest }) => {
      const place = places.get(own);
      return place === undefined ? [] : [{ ...rest, series: place }];
    }),
    count: filled.reduce((sum, [, { times }]) => sum + times.length, 0),
  };
}

const freshPoints = (points: SeriesPoints): FreshPoints => ({
  from: points.times.reduce((least, time) => Math.min(least, time), Infinity),
  to: points.times.reduce((most, time) => Math.max(most, time), -Infinity),
  count: points.times.length,
  bytes: encodePoints(points),
});

/** Points that are by series already. */
export function encodeParts(parts: readonly SeriesPart[]): EncodedPoints {
  const filled = parts.filter(({ points }) => points.times.length > 0);
  return {
    // Merging a single part puts it in the order of time.
    series: filled.map(({ series, points }) => ({
      identity: series,
      points: freshPoints(mergePoints([points])),
    })),
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
