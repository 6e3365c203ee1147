import * as echarts from 'echarts';
import { writeFileSync } from 'node:fs';

/** How long a question took, in milliseconds: the first of its kind after a start, and the ones after. */
export interface Timing {
  question: string;
  cold: number;
  warm: number;
  goal?: { cold: number; warm: number };
}

const WIDTH = 960;
const ROW = 34;
const HEAD = 70;

/** Draws timings as bars on a logarithmic axis, goals as marks, and writes them as SVG. */
export function writeChart(file: string, title: string, timings: readonly Timing[]): void {
  const chart = echarts.init(null, null, {
    renderer: 'svg',
    ssr: true,
    width: WIDTH,
    height: HEAD + 40 + timings.length * ROW,
  });
  const goals = (of: 'cold' | 'warm'): (number | null)[] => timings.map(({ goal }) => goal?.[of] ?? null);
  const mark = (name: string, of: 'cold' | 'warm', color: string, offset: number): object => ({
    name,
    type: 'scatter',
    data: goals(of),
    symbol: 'rect',
    symbolSize: [2, 11],
    symbolOffset: [0, offset],
    itemStyle: { color },
    z: 3,
  });
  chart.setOption({
    animation: false,
    title: { text: title, left: 12, top: 8, textStyle: { fontSize: 14, color: '#22282F' } },
    legend: { top: 34, left: 12, itemWidth: 14, itemHeight: 10 },
    grid: { left: 270, right: 70, top: HEAD, bottom: 30 },
    xAxis: { type: 'log', min: 1, name: 'ms', axisLabel: { formatter: '{value}' } },
    yAxis: {
      type: 'category',
      inverse: true,
      data: timings.map(({ question }) => question),
      axisTick: { show: false },
      axisLabel: { color: '#22282F' },
    },
    series: [
      {
        name: 'first',
        type: 'bar',
        data: timings.map(({ cold }) => cold),
        itemStyle: { color: 'transparent', borderColor: '#7C8794', borderWidth: 1.5 },
        label: { show: true, position: 'right', fontSize: 10 },
      },
      {
        name: 'after',
        type: 'bar',
        data: timings.map(({ warm }) => warm),
        itemStyle: { color: '#0B6E6E' },
        label: { show: true, position: 'right', fontSize: 10 },
      },
      mark('goal, first', 'cold', '#B23A2E', -7),
      mark('goal, after', 'warm', '#B7801F', 7),
    ],
  });
  writeFileSync(file, chart.renderToSVGString());
  chart.dispose();
}
