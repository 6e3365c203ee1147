import type { SummaryAnswer, SummaryColumn } from '@flail/contract';
import { chartOption, MAX_SERIES, seriesOf } from './options.js';

const time: SummaryColumn = { name: 'time', kind: 'time' };
const service: SummaryColumn = { name: 'service', kind: 'group' };
const count: SummaryColumn = { name: 'count', kind: 'value', unit: '/s' };
const p95: SummaryColumn = { name: 'p95(took)', kind: 'value', unit: 's' };
const at = (minute: number): string => new Date(Date.UTC(2026, 2, 2, 18, minute)).toISOString();
const millis = (minute: number): number => Date.UTC(2026, 2, 2, 18, minute);
const answer = (columns: SummaryColumn[], rows: SummaryAnswer['rows'], more: Partial<SummaryAnswer> = {}) =>
  ({ columns, rows, matched: 0, ...more }) as SummaryAnswer;
const colours = { ink: '#111', rule: '#222', base: '#333', ground: '#444' };

/** Series of an option, as far as a test looks at them. */
const drawn = (option: ReturnType<typeof chartOption>) =>
  option.series as { name: string; type: string; stack?: string; data: [number, number | null][] }[];

describe('a table over time', () => {
  it('is a line for each group, the largest first, each in the order of time', () => {
    const data = seriesOf(
      answer(
        [time, service, count],
        [
          [at(1), 'gull', 2],
          [at(0), 'gull', 1],
          [at(0), 'tern', 7],
          [at(1), null, null],
        ],
      ),
      0,
    )!;
    expect(data.series).toEqual([
      { name: 'tern', points: [[millis(0), 7]] },
      {
        name: 'gull',
        points: [
          [millis(0), 1],
          [millis(1), 2],
        ],
      },
      { name: 'none', points: [[millis(1), null]] },
    ]);
    expect(data).toMatchObject({ unit: '/s', more: 0 });
  });

  it('names measures where there are several, or no group', () => {
    const names = (columns: SummaryColumn[], row: SummaryAnswer['rows'][number]): string[] =>
      seriesOf(answer(columns, [row]), 0)!.series.map(({ name }) => name);
    expect(names([time, count], [at(0), 1])).toEqual(['count']);
    expect(names([time, service, count, p95], [at(0), 'gull', 5, 2])).toEqual([
      'gull · count',
      'gull · p95(took)',
    ]);
  });

  it('lays the baseline of one line under it, moved to the focus, and not those of many', () => {
    const rows = (value: number): SummaryAnswer['rows'] => [[at(30), value]];
    const one = seriesOf(answer([time, count], rows(4), { baselineRows: [[at(0), 3]] }), 30 * 60_000)!;
    expect(one.series).toEqual([
      { name: 'baseline', points: [[millis(30), 3]], faint: true },
      { name: 'count', points: [[millis(30), 4]] },
    ]);
    const grouped = ['a', 'b'].map((name): SummaryAnswer['rows'][number] => [at(0), name, 1]);
    const many = seriesOf(answer([time, service, count], grouped, { baselineRows: grouped }), 0)!;
    expect(many.series.map(({ faint }) => faint)).toEqual([undefined, undefined]);
  });

  it('leaves out what can not be told apart, and says how many', () => {
    const rows = Array.from({ length: MAX_SERIES + 3 }, (_, index): SummaryAnswer['rows'][number] => [
      at(0),
      `s${index}`,
      index,
    ]);
    const data = seriesOf(answer([time, service, count], rows), 0)!;
    expect(data.series).toHaveLength(MAX_SERIES);
    expect(data.series[0]!.name).toBe(`s${MAX_SERIES + 2}`);
    expect(data.more).toBe(3);
  });

  it('is none without a column of time', () => {
    expect(seriesOf(answer([service, count], [['gull', 1]]), 0)).toBeUndefined();
  });
});

describe('a chart', () => {
  const data = {
    series: [
      {
        name: 'gull',
        points: [
          [0, 3],
          [1, 0],
          [2, null],
        ] as [number, number | null][],
      },
      {
        name: 'tern',
        points: [
          [0, 1],
          [1, 0],
          [2, 5],
        ] as [number, number | null][],
      },
    ],
    unit: '/s' as const,
    more: 0,
  };

  it('of shares gives each moment its whole, also where there is nothing', () => {
    const option = chartOption(data, 'share', colours);
    expect(drawn(option).map(({ data: points }) => points)).toEqual([
      [
        [0, 0.75],
        [1, 0],
        [2, null],
      ],
      [
        [0, 0.25],
        [1, 0],
        [2, 1],
      ],
    ]);
    expect(option.yAxis).toMatchObject({ max: 1 });
    expect(drawn(option).every(({ stack }) => stack === 'all')).toBe(true);
  });

  it('stacks bars and areas of several, but not lines, nor what is alone', () => {
    const stacks = (kind: 'bar' | 'line' | 'area', of = data) =>
      drawn(chartOption(of, kind, colours)).map(({ type, stack }) => `${type} ${stack ?? 'alone'}`);
    expect(stacks('bar')).toEqual(['bar all', 'bar all']);
    expect(stacks('area')).toEqual(['line all', 'line all']);
    expect(stacks('line')).toEqual(['line alone', 'line alone']);
    expect(stacks('bar', { ...data, series: data.series.slice(0, 1) })).toEqual(['bar alone']);
  });

  it('draws a baseline as a dashed line that is in no stack', () => {
    const faint = { name: 'baseline', points: [[0, 2]] as [number, number][], faint: true };
    const option = chartOption({ ...data, series: [faint, data.series[0]!] }, 'bar', colours);
    expect(drawn(option)[0]).toMatchObject({ type: 'line', lineStyle: { type: 'dashed', color: '#333' } });
    expect(drawn(option)[0]!.stack).toBeUndefined();
    expect(drawn(option)[1]!.stack).toBeUndefined();
  });
});
