import type { SummaryAnswer, SummaryColumn } from '@flail/contract';
import type { EChartsOption } from './echarts.js';
import { valueText } from '../format/values.js';

export const CHART_KINDS = ['bar', 'line', 'area', 'share'] as const;
export type ChartKind = (typeof CHART_KINDS)[number];

/** A line over time; moments in milliseconds since 1970. */
export interface ChartSeries {
  name: string;
  points: [moment: number, value: number | null][];
  /** Drawn as an outline behind the others: the baseline, laid over the focus. */
  faint?: boolean;
}

export interface ChartData {
  series: ChartSeries[];
  unit: SummaryColumn['unit'];
  /** Series that were left out since more can not be told apart. */
  more: number;
}

/** More can not be told apart. */
export const MAX_SERIES = 8;
/** Apart for the colour-blind as well; the first is the focus's own. */
export const PALETTE = [
  '#0b6e6e',
  '#b7801f',
  '#5a4b9a',
  '#7a9a2e',
  '#b23a6e',
  '#2e6ea8',
  '#8a5a3c',
  '#5f6b76',
];

const keyOf = (groups: readonly (string | number | null | undefined)[]): string =>
  groups.map((group) => String(group ?? 'none')).join(', ');

/**
 * The table of a summary as series over time: one for each group and measure, the largest first. Without a
 * column of time there is nothing to draw over it, and undefined is given back.
 */
export function seriesOf(answer: SummaryAnswer, shift: number): ChartData | undefined {
  const { columns, rows, baselineRows } = answer;
  const time = columns.findIndex(({ kind }) => kind === 'time');
  if (time < 0) return undefined;
  const groups = columns.flatMap(({ kind }, at) => (kind === 'group' ? [at] : []));
  const values = columns.flatMap(({ kind }, at) => (kind === 'value' ? [at] : []));
  const collect = (from: SummaryAnswer['rows'], moved: number): Map<string, ChartSeries['points']> => {
    const found = new Map<string, ChartSeries['points']>();
    for (const row of from) {
      for (const value of values) {
        const group = keyOf(groups.map((at) => row[at]));
        const measure = values.length > 1 || group === '' ? columns[value]!.name : '';
        const name = [group, measure].filter(Boolean).join(' · ');
        const point: [number, number | null] = [
          Date.parse(String(row[time])) + moved,
          typeof row[value] === 'number' ? row[value] : null,
        ];
        const known = found.get(name);
        if (known) known.push(point);
        else found.set(name, [point]);
      }
    }
    for (const points of found.values()) points.sort(([a], [b]) => a - b);
    return found;
  };
  const sizeOf = (points: ChartSeries['points']): number =>
    points.reduce((sum, [, value]) => sum + Math.abs(value ?? 0), 0);
  const all = [...collect(rows, 0)].sort(([, a], [, b]) => sizeOf(b) - sizeOf(a));
  const shown = all.slice(0, MAX_SERIES).map(([name, points]): ChartSeries => ({ name, points }));
  // Baselines of many series would hide them.
  const before = shown.length === 1 && baselineRows ? [...collect(baselineRows, shift)] : [];
  const faint = before
    .slice(0, 1)
    .map(([, points]): ChartSeries => ({ name: 'baseline', points, faint: true }));
  return {
    series: [...faint, ...shown],
    unit: columns[values[0]!]?.unit,
    more: Math.max(0, all.length - MAX_SERIES),
  };
}

/** Colours that a chart takes from the theme. */
export interface ChartColours {
  ink: string;
  rule: string;
  base: string;
  ground: string;
}

/** What the drawing library needs to draw series. */
export function chartOption(
  { series, unit }: ChartData,
  kind: ChartKind,
  colours: ChartColours,
): EChartsOption {
  const drawn = series.filter(({ faint }) => !faint);
  const stacked = kind === 'share' || (drawn.length > 1 && kind !== 'line');
  const totals = new Map<number, number>();
  if (kind === 'share')
    for (const { points } of drawn)
      for (const [moment, value] of points) totals.set(moment, (totals.get(moment) ?? 0) + (value ?? 0));
  const shared = (points: ChartSeries['points']): ChartSeries['points'] =>
    kind === 'share'
      ? points.map(([moment, value]) => [moment, value === null ? null : value / (totals.get(moment) || 1)])
      : points;
  const text = (value: number): string => valueText(value, kind === 'share' ? 'share' : unit);
  return {
    animation: false,
    color: PALETTE,
    textStyle: { fontFamily: "'Hanken Grotesk Variable', sans-serif", color: colours.ink },
    grid: { left: 8, right: 12, top: series.length > 1 ? 30 : 12, bottom: 4, containLabel: true },
    ...(series.length > 1 && {
      legend: {
        type: 'scroll',
        top: 0,
        left: 0,
        itemWidth: 12,
        itemHeight: 8,
        textStyle: { color: colours.ink },
      },
    }),
    tooltip: {
      trigger: 'axis',
      confine: true,
      backgroundColor: colours.ground,
      borderColor: colours.rule,
      textStyle: { color: colours.ink, fontSize: 12 },
      valueFormatter: (value) => (typeof value === 'number' ? text(value) : '–'),
    },
    xAxis: {
      type: 'time',
      axisLabel: { color: colours.ink, hideOverlap: true },
      axisLine: { lineStyle: { color: colours.rule } },
      splitLine: { show: false },
    },
    yAxis: {
      type: 'value',
      axisLabel: { color: colours.ink, formatter: (value: number) => text(value) },
      splitLine: { lineStyle: { color: colours.rule, width: 0.5 } },
      ...(kind === 'share' && { max: 1 }),
    },
    series: series.map(({ name, points, faint }) =>
      faint
        ? {
            name,
            type: 'line',
            data: points,
            step: 'middle',
            symbol: 'none',
            lineStyle: { color: colours.base, width: 1, type: 'dashed' },
            itemStyle: { color: colours.base },
          }
        : {
            name,
            type: kind === 'bar' ? 'bar' : 'line',
            data: shared(points),
            symbol: 'none',
            ...(stacked && { stack: 'all' }),
            ...(kind === 'bar' ? { barCategoryGap: '12%' } : { lineStyle: { width: 1.5 } }),
            ...((kind === 'area' || kind === 'share') && { areaStyle: { opacity: 0.35 } }),
          },
    ),
  };
}
