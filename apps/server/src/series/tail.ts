import { decodePoints, encodePoints, type Point, type SeriesPoints } from '@flail/core/series';

/** Points gathered one by one. */
export class Gathered {
  readonly times: number[] = [];
  readonly columns = new Map<string, number[]>();

  add(at: number, columns: Readonly<Record<string, number>>): void {
    const index = this.times.length;
    this.times.push(at);
    for (const [name, value] of Object.entries(columns)) {
      let numbers = this.columns.get(name);
      if (!numbers) this.columns.set(name, (numbers = []));
      while (numbers.length < index) numbers.push(NaN);
      numbers.push(value);
    }
  }

  /** Points between two moments, in the order in which they came. */
  between(from: number, to: number): SeriesPoints {
    const kept = [...this.times.keys()].filter((at) => this.times[at]! >= from && this.times[at]! < to);
    return {
      times: Float64Array.from(kept, (at) => this.times[at]!),
      columns: new Map(
        [...this.columns].map(([name, numbers]) => [
          name,
          Float64Array.from(kept, (at) => numbers[at] ?? NaN),
        ]),
      ),
    };
  }

  all(): SeriesPoints {
    return this.between(-Infinity, Infinity);
  }

  /** What is left without the first so many points. */
  without(first: number): Gathered {
    const rest = new Gathered();
    rest.times.push(...this.times.slice(first));
    for (const [name, numbers] of this.columns)
      if (numbers.length > first) rest.columns.set(name, numbers.slice(first));
    return rest;
  }
}

/** The points of a request by series, as they are written ahead. */
export function encodeBatch(points: ReadonlyMap<number, readonly Point[]>): Buffer {
  const parts: Buffer[] = [];
  for (const [series, own] of points) {
    const gathered = new Gathered();
    for (const { at, columns } of own) gathered.add(at, columns);
    const bytes = encodePoints(gathered.all());
    const head = Buffer.alloc(8);
    head.writeUInt32LE(series, 0);
    head.writeUInt32LE(bytes.length, 4);
    parts.push(head, Buffer.from(bytes));
  }
  return Buffer.concat(parts);
}

/** Reads what `encodeBatch` wrote. */
export function* decodeBatch(data: Buffer): Generator<[series: number, points: SeriesPoints]> {
  for (let at = 0; at < data.length;) {
    const length = data.readUInt32LE(at + 4);
    yield [data.readUInt32LE(at), decodePoints(data.subarray(at + 8, at + 8 + length))];
    at += 8 + length;
  }
}
