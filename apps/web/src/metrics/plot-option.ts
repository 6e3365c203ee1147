import type { ChangeBody, PlotAnswer } from '@flail/contract';
import { type ChartColours, PALETTE } from '../charts/options.js';
import type { EChartsOption } from '../charts/echarts.js';
import type { Span } from '../context/view-state.js';
import { figureText } from '../format/figures.js';
import { lineName, type LineKind } from './plots.js';

/** What is drawn in one plot. */
export interface PlotDrawn {
  answers: readonly PlotAnswer[];
  kind: LineKind;
  focus: Span;
  changes: readonly ChangeBody[];
  /** Name of the line that stands out against the others. */
  chosen: string;
}

type Series = Extract<NonNullable<EChartsOption['series']>, unknown[]>[number];
type Points = [number, number | null][];

/** Lines beyond this many are drawn in one colour, as a group. */
const TOLD_APART = 8;
const GHOST_NAMES = { day: 'a day before', week: 'a week before' } as const;

/** What the drawing library needs for a plot: lines, their envelope, what is normal, ghosts, limits, changes. */
export function plotOption(
  { answers, kind, focus, changes, chosen }: PlotDrawn,
  colours: ChartColours & { focus: string; error: string },
): EChartsOption {
  const units = [...new Set(answers.map(({ unit }) => unit))].slice(0, 2);
  const series: Series[] = [];
  let colour = 0;
  for (const answer of answers) {
    const { name, lines, from, step, normal, ghosts, limit, exemplars } = answer;
    const start = Date.parse(from) + step * 500;
    const points = (values: readonly (number | null)[]): Points =>
      values.map((value, at) => [start + at * step * 1000, value]);
    const axis = Math.max(0, units.indexOf(answer.unit));
    const many = lines.length > TOLD_APART || chosen !== '';
    if (normal && answers.length === 1)
      series.push(...bandOf(points(normal.low), normal.high, axis, colours.base));
    for (const { labels, values, max, members } of lines) {
      const own = lineName(labels, name);
      const stands = chosen === own;
      const ink = stands ? colours.focus : many ? colours.base : PALETTE[colour++ % PALETTE.length]!;
      // An average hides peaks: the largest single measurement is drawn as well.
      if (max && (answer.aggregate === 'avg' || answer.aggregate === undefined) && members > 1)
        series.push(envelopeOf(`${own}, maximum`, points(max), axis, ink));
      series.push({
        name: own,
        type: kind === 'bar' ? 'bar' : 'line',
        yAxisIndex: axis,
        data: points(values),
        symbol: 'none',
        itemStyle: { color: ink },
        ...(kind === 'step' && { step: 'middle' as const }),
        ...(kind === 'bar'
          ? { stack: `all ${axis}`, barCategoryGap: '8%' }
          : { lineStyle: { width: stands ? 2.5 : 1.5, color: ink, opacity: many && !stands ? 0.45 : 1 } }),
        ...(kind === 'area' && { areaStyle: { opacity: 0.25, color: ink }, stack: `all ${axis}` }),
        z: stands ? 4 : 3,
      });
    }
    for (const ghost of ghosts ?? [])
      series.push({
        name: GHOST_NAMES[ghost.name],
        type: 'line',
        yAxisIndex: axis,
        data: points(ghost.values),
        symbol: 'none',
        silent: true,
        lineStyle: {
          width: 1,
          type: ghost.name === 'day' ? 'dashed' : 'dotted',
          color: colours.ink,
          opacity: 0.6,
        },
        itemStyle: { color: colours.ink },
        z: 2,
      });
    if (limit)
      series.push({
        name: 'limit',
        type: 'line',
        yAxisIndex: axis,
        data: points(limit.values),
        symbol: 'none',
        step: 'middle',
        silent: true,
        lineStyle: { width: 1.5, type: 'solid', color: colours.error },
        itemStyle: { color: colours.error },
        z: 2,
      });
    const samples = exemplars.filter(({ trace }) => trace !== undefined);
    if (samples.length > 0)
      series.push({
        name: 'samples',
        type: 'scatter',
        yAxisIndex: axis,
        symbol: 'diamond',
        symbolSize: 6,
        data: samples.map(({ time, value, trace }) => ({ value: [Date.parse(time), value], trace })),
        itemStyle: { color: colours.ink, opacity: 0.7 },
        z: 5,
      });
  }
  const [first] = series;
  if (first) {
    Object.assign(first, {
      markArea: {
        silent: true,
        itemStyle: { color: colours.focus, opacity: 0.06 },
        data: [[{ xAxis: focus.from }, { xAxis: focus.to }]],
      },
      markLine: {
        symbol: ['none', 'triangle'],
        symbolSize: 6,
        silent: true,
        label: { show: false },
        lineStyle: { color: colours.ink, type: 'dotted', opacity: 0.7 },
        data: changes.map(({ time }) => ({ xAxis: Date.parse(time) })),
      },
    });
  }
  return {
    animation: false,
    textStyle: { fontFamily: "'Hanken Grotesk Variable', sans-serif", color: colours.ink },
    grid: { left: 62, right: units.length > 1 ? 62 : 14, top: 10, bottom: 20 },
    tooltip: {
      trigger: 'axis',
      confine: true,
      backgroundColor: colours.ground,
      borderColor: colours.rule,
      textStyle: { color: colours.ink, fontSize: 12 },
      order: 'valueDesc',
      valueFormatter: (value) => (typeof value === 'number' ? figureText(value, units[0] ?? '') : '–'),
    },
    axisPointer: { lineStyle: { color: colours.ink } },
    brush: {
      xAxisIndex: 0,
      brushType: 'lineX',
      brushMode: 'single',
      brushStyle: { color: `${colours.focus}26`, borderColor: colours.focus, borderWidth: 1 },
    },
    xAxis: {
      type: 'time',
      axisLabel: { color: colours.ink, hideOverlap: true, fontSize: 11 },
      axisLine: { lineStyle: { color: colours.rule } },
      splitLine: { show: false },
    },
    yAxis: (units.length === 0 ? [''] : units).map((unit, at) => ({
      type: 'value',
      scale: false,
      position: at === 0 ? 'left' : 'right',
      splitNumber: 3,
      axisLabel: { color: colours.ink, fontSize: 11, formatter: (value: number) => figureText(value, unit) },
      splitLine: { show: at === 0, lineStyle: { color: colours.rule, width: 0.5 } },
    })),
    series,
  };
}

/** What is normal, as a band: an unseen line with an area standing on it. */
function bandOf(low: Points, high: readonly (number | null)[], axis: number, colour: string): Series[] {
  const common = {
    type: 'line' as const,
    yAxisIndex: axis,
    symbol: 'none',
    silent: true,
    stack: `normal ${axis}`,
    stackStrategy: 'all' as const,
    lineStyle: { opacity: 0 },
    tooltip: { show: false },
    z: 1,
  };
  const width = low.map(([moment, value], at): [number, number | null] => {
    const top = high[at] ?? null;
    return [moment, value === null || top === null ? null : top - value];
  });
  return [
    { ...common, name: 'normal from', data: low },
    { ...common, name: 'normal range', data: width, areaStyle: { color: colour, opacity: 0.18 } },
  ];
}

const envelopeOf = (name: string, data: Points, axis: number, colour: string): Series => ({
  name,
  type: 'line',
  yAxisIndex: axis,
  data,
  symbol: 'none',
  lineStyle: { width: 1, color: colour, opacity: 0.75, type: [2, 2] },
  itemStyle: { color: colour },
  z: 2,
});
