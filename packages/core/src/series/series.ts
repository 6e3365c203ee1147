/**
 * What a series is made of. A gauge is a number that goes up and down; a sum counts something; a histogram
 * counts how many values lie in which bucket.
 */
export type SeriesKind = 'gauge' | 'sum' | 'histogram';

/** What tells one series from another. */
export interface SeriesIdentity {
  metric: string;
  unit: string;
  kind: SeriesKind;
  /** True where numbers count since some start, and only their increase means something. */
  total: boolean;
  /** Service, instance, host, site and whatever else the sender tells apart by. */
  labels: Record<string, string>;
}

/** Columns of a point, by kind: a gauge and a sum have a value; histograms have these, and one for each bucket. */
export const COLUMN_OF = { value: 'value', count: 'count', sum: 'sum', min: 'min', max: 'max' } as const;

/** The column of a histogram's bucket: values above `low`, up to `high`. */
export const bucketColumn = (low: number, high: number): string => `${low}..${high}`;

/** The bounds of a bucket's column; undefined for other columns. */
export function boundsOf(column: string): [low: number, high: number] | undefined {
  const parts = column.split('..');
  return parts.length === 2 ? [Number(parts[0]), Number(parts[1])] : undefined;
}

/** A measured value with the request that it belongs to. */
export interface Exemplar {
  series: SeriesIdentity;
  at: number;
  value: number;
  trace?: string;
  span?: string;
}

/** Points of one series, in the order in which they came. */
export class Gathered {
  readonly times: number[] = [];
  /** Shorter than the times where the last ones have no number. */
  readonly columns = new Map<string, number[]>();

  add(at: number, columns: Readonly<Record<string, number>>): void {
    for (const name in columns) this.put(name, columns[name]!);
    this.times.push(at);
  }

  /** A point of a gauge or a sum. */
  addValue(at: number, value: number): void {
    this.put(COLUMN_OF.value, value);
    this.times.push(at);
  }

  /** All of them, NaN where one has no number. */
  points(): SeriesPoints {
    const times = Float64Array.from(this.times);
    const columns = new Map<string, Float64Array>();
    for (const [name, numbers] of this.columns) {
      const column = new Float64Array(times.length).fill(NaN, numbers.length);
      column.set(numbers);
      columns.set(name, column);
    }
    return { times, columns };
  }

  private put(name: string, value: number): void {
    let numbers = this.columns.get(name);
    if (!numbers) this.columns.set(name, (numbers = []));
    while (numbers.length < this.times.length) numbers.push(NaN);
    numbers.push(value);
  }
}

/** What was read of metrics in some format: the points of each series, and what had to be turned away. */
export class PointsRead {
  readonly series = new Map<SeriesIdentity, Gathered>();
  readonly exemplars: Exemplar[] = [];
  rejected = 0;
  /** Why, of the first that was turned away. */
  reason = '';

  of(identity: SeriesIdentity): Gathered {
    let own = this.series.get(identity);
    if (!own) this.series.set(identity, (own = new Gathered()));
    return own;
  }

  refuse(points: number, reason: string): void {
    this.rejected += points;
    this.reason ||= reason;
  }
}

/** Identity in one text: the same for the same series, however its labels were ordered. */
export function seriesKey({ metric, unit, kind, total, labels }: SeriesIdentity): string {
  const sorted = Object.entries(labels).sort(([a], [b]) => (a < b ? -1 : 1));
  return JSON.stringify([metric, unit, kind, total, sorted]);
}

/** The points of one series: for each time a number in each column, NaN where it has none. */
export interface SeriesPoints {
  times: Float64Array;
  columns: Map<string, Float64Array>;
}

const noPoints = (): SeriesPoints => ({ times: new Float64Array(0), columns: new Map() });

/** Puts points of one series together, in the order of time; of two of one time the later given is kept. */
export function mergePoints(parts: readonly SeriesPoints[]): SeriesPoints {
  const filled = parts.filter(({ times }) => times.length > 0);
  if (filled.length === 0) return noPoints();
  if (filled.every(({ times }) => rises(times))) {
    if (filled.length === 1) return filled[0]!;
    const inTurn = [...filled].sort((a, b) => a.times[0]! - b.times[0]!);
    if (inTurn.every(({ times }, at) => at === 0 || inTurn[at - 1]!.times.at(-1)! < times[0]!))
      return joined(inTurn);
  }
  const order = orderOf(filled);
  const names = new Set(filled.flatMap((part) => [...part.columns.keys()]));
  const times = new Float64Array(order.length);
  for (let at = 0; at < order.length; at++) times[at] = filled[order.parts[at]!]!.times[order.places[at]!]!;
  const columns = new Map<string, Float64Array>();
  for (const name of names) {
    const sources = filled.map((part) => part.columns.get(name));
    const numbers = new Float64Array(order.length);
    for (let at = 0; at < order.length; at++)
      numbers[at] = sources[order.parts[at]!]?.[order.places[at]!] ?? NaN;
    columns.set(name, numbers);
  }
  return { times, columns };
}

/** Points cut where one period of time ends and the next begins. */
export function cutPoints({ times, columns }: SeriesPoints, period: number): SeriesPoints[] {
  const parts: SeriesPoints[] = [];
  for (let at = 0; at < times.length;) {
    const end = (Math.floor(times[at]! / period) + 1) * period;
    let next = at + 1;
    while (next < times.length && times[next]! < end) next++;
    parts.push({
      times: times.subarray(at, next),
      columns: new Map([...columns].map(([name, numbers]) => [name, numbers.subarray(at, next)])),
    });
    at = next;
  }
  return parts;
}

/** Parts that follow one another, end to end: chunks mostly do, and are many. */
function joined(parts: readonly SeriesPoints[]): SeriesPoints {
  const length = parts.reduce((sum, { times }) => sum + times.length, 0);
  const names = new Set(parts.flatMap((part) => [...part.columns.keys()]));
  const times = new Float64Array(length);
  const columns = new Map([...names].map((name) => [name, new Float64Array(length)]));
  let at = 0;
  for (const part of parts) {
    const end = at + part.times.length;
    times.set(part.times, at);
    for (const [name, numbers] of columns) {
      const own = part.columns.get(name);
      if (own) numbers.set(own, at);
      else numbers.fill(NaN, at, end);
    }
    at = end;
  }
  return { times, columns };
}

/** Which point of which part comes at each place. */
interface Merged {
  parts: Uint32Array;
  places: Uint32Array;
  length: number;
}

/** The order of the points of some parts by time: parts are few, and mostly in order by themselves, so that the earliest head of all is taken again and again. */
function orderOf(filled: readonly SeriesPoints[]): Merged {
  const runs = filled.map(({ times }) => (rises(times) ? undefined : placesByTime(times)));
  const all = filled.reduce((sum, { times }) => sum + times.length, 0);
  const merged: Merged = { parts: new Uint32Array(all), places: new Uint32Array(all), length: 0 };
  const heads = new Uint32Array(filled.length);
  let last = NaN;
  for (let left = all; left > 0; left--) {
    let part = -1;
    let time = Infinity;
    for (let one = 0; one < filled.length; one++) {
      const head = heads[one]!;
      const { times } = filled[one]!;
      if (head === times.length) continue;
      const own = times[runs[one]?.[head] ?? head]!;
      if (own < time) {
        part = one;
        time = own;
      }
    }
    const place = runs[part]?.[heads[part]!] ?? heads[part]!;
    heads[part]!++;
    const at = time === last ? merged.length - 1 : merged.length++;
    merged.parts[at] = part;
    merged.places[at] = place;
    last = time;
  }
  return merged;
}

/** Places of times in their order; of equals the later given comes last. */
const placesByTime = (times: Float64Array): Uint32Array =>
  Uint32Array.from(times.keys()).sort((a, b) => times[a]! - times[b]! || a - b);

function rises(times: Float64Array): boolean {
  for (let at = 1; at < times.length; at++) if (times[at]! <= times[at - 1]!) return false;
  return true;
}
