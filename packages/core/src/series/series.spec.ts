import fc from 'fast-check';
import { decodePoints, encodePoints } from './chunk.js';
import { bucketColumn, cutPoints, mergePoints, type SeriesPoints, seriesKey } from './series.js';
import { addPoints, addSteps, aggregate, emptySteps, increases, type Steps, stepsOf } from './steps.js';

const SECOND = 1_000_000;
const MINUTE = 60 * SECOND;
const steps: Steps = { from: 0, width: MINUTE, count: 4 };

const pointsOf = (times: number[], columns: Record<string, number[]>): SeriesPoints => ({
  times: Float64Array.from(times),
  columns: new Map(Object.entries(columns).map(([name, values]) => [name, Float64Array.from(values)])),
});
const gauge = { kind: 'gauge', total: false } as const;
const counter = { kind: 'sum', total: true } as const;
const histogram = { kind: 'histogram', total: false } as const;

describe('points of a series', () => {
  it('come back from their chunk, bit by bit', () => {
    const number = fc.oneof(
      fc.integer(),
      fc.double({ noNaN: false }),
      fc.integer({ min: -9999, max: 9999 }).map((value) => value / 100),
    );
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 2 ** 50 }), number, number), { maxLength: 60 }),
        (rows) => {
          const points = pointsOf(
            rows.map(([time]) => time),
            { a: rows.map(([, a]) => a), b: rows.map(([, , b]) => b) },
          );
          const back = decodePoints(encodePoints(points));
          expect(back.times).toEqual(points.times);
          for (const name of ['a', 'b'])
            expect(
              [...back.columns.get(name)!].every((one, at) => Object.is(one, points.columns.get(name)![at])),
            ).toBe(true);
        },
      ),
    );
  });

  it('take little room where they have few decimals', () => {
    const values = Array.from({ length: 1000 }, (_, at) => Math.round(50 + 10 * Math.sin(at / 50)) / 10);
    const points = pointsOf(
      values.map((_, at) => at * 5 * SECOND),
      { value: values },
    );
    expect(encodePoints(points).length).toBeLessThan(6500);
  });

  it('are put together by time, later ones in place of earlier ones', () => {
    const merged = mergePoints([
      pointsOf([10, 30], { value: [1, 3] }),
      pointsOf([20, 30], { value: [2, 33], count: [7, 8] }),
    ]);
    expect([...merged.times]).toEqual([10, 20, 30]);
    expect([...merged.columns.get('value')!]).toEqual([1, 2, 33]);
    expect([...merged.columns.get('count')!]).toEqual([NaN, 7, 8]);
  });

  it('that follow one another are laid end to end, in whatever order they are given', () => {
    const parts = [
      pointsOf([50, 60], { value: [5, 6] }),
      pointsOf([], {}),
      pointsOf([10, 30], { value: [1, 3], count: [4, 4] }),
      pointsOf([40], { count: [9] }),
    ];
    const merged = mergePoints(parts);
    expect([...merged.times]).toEqual([10, 30, 40, 50, 60]);
    expect([...merged.columns.get('value')!]).toEqual([1, 3, NaN, 5, 6]);
    expect([...merged.columns.get('count')!]).toEqual([4, 4, 9, NaN, NaN]);
    // Where two have the same moment, or one lies within another, they are put together point by point.
    const over = mergePoints([
      pointsOf([10, 40], { value: [1, 4] }),
      pointsOf([40, 50], { value: [44, 5] }),
      pointsOf([20], { value: [2] }),
    ]);
    expect([...over.times]).toEqual([10, 20, 40, 50]);
    expect([...over.columns.get('value')!]).toEqual([1, 2, 44, 5]);
  });

  it('are told apart by labels, whatever their order', () => {
    const of = (labels: Record<string, string>): string =>
      seriesKey({ metric: 'm', unit: '', kind: 'gauge', total: false, labels });
    expect(of({ a: '1', b: '2' })).toBe(of({ b: '2', a: '1' }));
    expect(of({ a: '1', b: '2' })).not.toBe(of({ a: '2', b: '1' }));
  });
});

describe('points cut by periods', () => {
  const rising = fc
    .array(fc.integer({ min: 1, max: 900 }), { minLength: 1, maxLength: 80 })
    .map((gaps) => gaps.reduce<number[]>((times, gap) => [...times, (times.at(-1) ?? 0) + gap], []));

  it('are all there, each in the period that it lies in, and end to end the same again', () => {
    fc.assert(
      fc.property(rising, fc.integer({ min: 1, max: 2000 }), (times, period) => {
        const points = pointsOf(times, { value: times.map((time) => time * 2) });
        const parts = cutPoints(points, period);
        for (const part of parts)
          expect(new Set([...part.times].map((time) => Math.floor(time / period))).size).toBe(1);
        expect(parts.length).toBe(new Set(times.map((time) => Math.floor(time / period))).size);
        expect(mergePoints([...parts].reverse())).toEqual(points);
      }),
    );
  });

  it('are put end to end with nothing where a part has no such column', () => {
    const merged = mergePoints([pointsOf([30, 40], { b: [3, 4] }), pointsOf([10, 20], { a: [1, 2] })]);
    expect([...merged.times]).toEqual([10, 20, 30, 40]);
    expect([...merged.columns.get('a')!]).toEqual([1, 2, NaN, NaN]);
    expect([...merged.columns.get('b')!]).toEqual([NaN, NaN, 3, 4]);
    expect(cutPoints(pointsOf([], { a: [] }), 10)).toEqual([]);
  });

  it('are the same put together one way and another, with gaps between and overlaps', () => {
    fc.assert(
      fc.property(rising, rising, (first, second) => {
        const parts = [
          pointsOf(first, { value: first.map((time) => time + 0.5) }),
          pointsOf(second, { value: second.map((time) => -time) }),
        ];
        const plain = new Map<number, number>();
        for (const time of first) plain.set(time, time + 0.5);
        for (const time of second) plain.set(time, -time);
        const times = [...plain.keys()].sort((a, b) => a - b);
        const merged = mergePoints(parts);
        expect([...merged.times]).toEqual(times);
        expect([...merged.columns.get('value')!]).toEqual(times.map((time) => plain.get(time)!));
      }),
    );
  });
});

describe('a total', () => {
  it('grew at the rate of the time between its points, the first and rare ones too', () => {
    // Ten seconds a step, points a minute apart, and fewer of them than would show a rhythm.
    const fine: Steps = { from: 0, width: 10 * SECOND, count: 12 };
    const points = pointsOf([0, MINUTE, 2 * MINUTE], { value: [100, 160, 280] });
    const rates = aggregate(stepsOf(points, counter, fine), 'rate', counter, fine);
    expect([...rates]).toEqual([1, 1, 1, 1, 1, 1, 2, 2, 2, 2, 2, 2]);
    const irregular = pointsOf([0, 20 * SECOND, 90 * SECOND], { value: [0, 20, 160] });
    const own = stepsOf(irregular, counter, fine);
    expect([...aggregate(own, 'rate', counter, fine)].slice(0, 9)).toEqual([1, 1, 2, 2, 2, 2, 2, 2, 2]);
    expect(own.sum.reduce((sum, one) => sum + one, 0)).toBeCloseTo(160);
  });
});

describe('steps, told another way', () => {
  /** Points at most a step apart, so that each is of its own step. */
  const dense = fc.array(fc.tuple(fc.integer({ min: 1, max: 60 }), fc.integer({ min: 0, max: 50 })), {
    minLength: 1,
    maxLength: 60,
  });
  const placed = (rows: readonly (readonly [gap: number, value: number])[]) => {
    let at = 0;
    return rows.map(([gap, value]) => ({ time: (at += gap) * SECOND, value }));
  };
  const within = (time: number, step: number): boolean =>
    time > steps.from + step * MINUTE && time <= steps.from + (step + 1) * MINUTE;

  it('of a gauge, and of what is counted, are those of the points of each', () => {
    fc.assert(
      fc.property(dense, (rows) => {
        const points = placed(rows);
        const series = pointsOf(
          points.map(({ time }) => time),
          { value: points.map(({ value }) => value) },
        );
        const levels = stepsOf(series, gauge, steps);
        const counted = stepsOf(series, { kind: 'sum', total: false }, steps);
        for (let step = 0; step < steps.count; step++) {
          const own = points.filter(({ time }) => within(time, step)).map(({ value }) => value);
          expect(levels.count[step]).toBe(own.length);
          expect(counted.sum[step]).toBe(own.reduce((sum, value) => sum + value, 0));
          if (own.length === 0) continue;
          expect(levels.min[step]).toBe(Math.min(...own));
          expect(levels.max[step]).toBe(Math.max(...own));
          expect(levels.last[step]).toBe(own.at(-1));
        }
      }),
    );
  });

  it('of histograms are the same, added up where they go or afterwards', () => {
    const buckets = [bucketColumn(-Infinity, 1), bucketColumn(1, 5), bucketColumn(5, Infinity)];
    fc.assert(
      fc.property(dense, dense, fc.boolean(), (first, second, total) => {
        const seriesOf = (rows: typeof first): SeriesPoints => {
          const points = placed(rows);
          let sofar = 0;
          const counts = points.map(({ value }) => (total ? (sofar += value) : value));
          return pointsOf(
            points.map(({ time }) => time),
            {
              count: counts,
              sum: counts.map((count) => count * 2),
              ...Object.fromEntries(
                buckets.map((name, at) => [name, counts.map((count) => (at === 1 ? count : 0))]),
              ),
            },
          );
        };
        const of = { kind: 'histogram', total } as const;
        const at = emptySteps(steps);
        const after = emptySteps(steps);
        for (const rows of [first, second]) {
          addPoints(at, seriesOf(rows), of, steps);
          addSteps(after, stepsOf(seriesOf(rows), of, steps));
        }
        expect(at.count).toEqual(after.count);
        expect(at.sum).toEqual(after.sum);
        for (const percentile of [50, 95])
          expect(aggregate(at, { percentile }, histogram, steps)).toEqual(
            aggregate(after, { percentile }, histogram, steps),
          );
      }),
    );
  });
});

describe('steps of a series', () => {
  it('of a gauge hold average and extremes, and leave gaps', () => {
    const stepped = stepsOf(
      pointsOf([SECOND, 30 * SECOND, 2 * MINUTE + 1, 9 * MINUTE], { value: [4, 8, 5, 99] }),
      gauge,
      steps,
    );
    expect([...aggregate(stepped, 'avg', gauge, steps)]).toEqual([6, NaN, 5, NaN]);
    expect([...aggregate(stepped, 'max', gauge, steps)]).toEqual([8, NaN, 5, NaN]);
    expect([...aggregate(stepped, 'min', gauge, steps)]).toEqual([4, NaN, 5, NaN]);
  });

  it('of a total are what it grew by, over a fresh start too', () => {
    expect([...increases(Float64Array.of(5, 8, 2, 2, NaN, 10))]).toEqual([NaN, 3, 2, 0, NaN, 8]);
    const points = pointsOf([-30 * SECOND, 0, MINUTE, 2 * MINUTE], { value: [100, 130, 190, 30] });
    const rates = aggregate(stepsOf(points, counter, steps), 'rate', counter, steps);
    expect([...rates]).toEqual([1, 0.5, NaN, NaN]);
  });

  it('hold what was measured at their end, not at their beginning', () => {
    const stepped = stepsOf(pointsOf([0, MINUTE, MINUTE + 1], { value: [1, 2, 3] }), gauge, steps);
    expect([...aggregate(stepped, 'avg', gauge, steps)]).toEqual([2, 3, NaN, NaN]);
  });

  it('of a gauge measured less often than once a step hold until it is measured anew, and leave gaps', () => {
    const fine: Steps = { from: 0, width: MINUTE / 2, count: 16 };
    // Every minute, with a measurement missing after the fifth.
    const times = [1, 2, 3, 4, 5, 7].map((minute) => minute * MINUTE);
    const { last, count } = stepsOf(pointsOf(times, { value: [1, 2, 3, 4, 5, 7] }), gauge, fine);
    expect([...last].slice(2, 10)).toEqual([2, 2, 3, 3, 4, 4, 5, 5]);
    expect([...count].slice(10)).toEqual([0, 0, 0, 1, 0, 0]);
  });

  it('spread what was counted over a longer interval, and leave what comes now and then where it is', () => {
    const coarse = { from: 0, width: MINUTE, count: 60 };
    const delta = { kind: 'sum', total: false } as const;
    const every = pointsOf(
      [0, 10, 20, 30, 40, 50, 60].map((minute) => minute * MINUTE),
      { value: [600, 600, 600, 600, 600, 600, 1200] },
    );
    const rates = [...aggregate(stepsOf(every, delta, coarse), 'rate', delta, coarse)];
    // Only after a few points it is known that they come at equal intervals.
    expect(rates.slice(30, 60)).toEqual([...Array<number>(20).fill(1), ...Array<number>(10).fill(2)]);
    const seldom = pointsOf([0, 7 * MINUTE, 31 * MINUTE, 40 * MINUTE], { value: [1, 1, 1, 1] });
    expect([...stepsOf(seldom, delta, coarse).count].filter((count) => count > 0)).toHaveLength(3);
  });

  it('of members are added up; levels by their last numbers', () => {
    const sum = emptySteps(steps);
    for (const value of [3, 4])
      addSteps(sum, stepsOf(pointsOf([1, SECOND], { value: [9, value] }), gauge, steps));
    expect(aggregate(sum, 'sum', gauge, steps)[0]).toBe(7);
    expect(aggregate(sum, 'avg', gauge, steps)[0]).toBe(25 / 4);
    expect(aggregate(sum, 'count', gauge, steps)[0]).toBe(4);
  });

  it('of a total histogram count what came since the point before', () => {
    const points = pointsOf([0, MINUTE, 2 * MINUTE], {
      count: [10, 14, 3],
      sum: [10, 30, 3],
      '0..1': [10, 10, 3],
      '1..10': [NaN, 4, NaN],
    });
    const stepped = stepsOf(points, { kind: 'histogram', total: true }, steps);
    expect([...stepped.count]).toEqual([4, 3, 0, 0]);
    expect([...stepped.sum]).toEqual([20, 3, 0, 0]);
    expect([...stepped.buckets!.get('1..10')!]).toEqual([4, 0, 0, 0]);
    expect([...stepped.buckets!.get('0..1')!]).toEqual([0, 3, 0, 0]);
  });

  it.each([
    [{ '0..10': [100] }, 50, 5],
    [{ '0..10': [50], '10..20': [50] }, 75, 15],
    [{ '0..10': [50], '10..20': [50] }, 100, 20],
    // Bounds that do not fit together are laid over each other.
    [{ '0..10': [60], '5..15': [40] }, 50, 7],
    [{ '-Infinity..5': [10], min: [1] }, 50, 3],
    [{ '5..Infinity': [10], max: [25] }, 50, 15],
    [{ '0..0': [10], '0..1': [10] }, 25, 0],
  ])('of a histogram have percentiles: %j', (buckets, percentile, expected) => {
    const points = pointsOf([1], { count: [100], ...buckets });
    const found = aggregate(stepsOf(points, histogram, steps), { percentile }, histogram, steps)[0];
    expect(found).toBeCloseTo(expected, 9);
  });

  it('have percentiles within the bucket of the true one', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0.01, max: 99, noNaN: true }), { minLength: 1, maxLength: 200 }),
        fc.integer({ min: 1, max: 99 }),
        (values, percentile) => {
          const bounds = [0, 1, 2, 5, 10, 20, 50, 100];
          const columns: Record<string, number[]> = { count: [values.length] };
          for (let at = 1; at < bounds.length; at++)
            columns[`${bounds[at - 1]!}..${bounds[at]!}`] = [
              values.filter((value) => value > bounds[at - 1]! && value <= bounds[at]!).length,
            ];
          const found = aggregate(
            stepsOf(pointsOf([1], columns), histogram, steps),
            { percentile },
            histogram,
            steps,
          )[0]!;
          const sorted = [...values].sort((a, b) => a - b);
          const exact = sorted[Math.ceil((percentile / 100) * sorted.length) - 1]!;
          const high = bounds.findIndex((bound) => bound >= exact);
          expect(found).toBeGreaterThanOrEqual(bounds[high - 1]!);
          expect(found).toBeLessThanOrEqual(bounds[high]!);
        },
      ),
    );
  });
});
