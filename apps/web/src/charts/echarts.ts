import { BarChart, type BarSeriesOption, LineChart, type LineSeriesOption } from 'echarts/charts';
import {
  GridComponent,
  type GridComponentOption,
  LegendComponent,
  type LegendComponentOption,
  TooltipComponent,
  type TooltipComponentOption,
} from 'echarts/components';
import { type ComposeOption, init, use as register } from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';

register([BarChart, LineChart, GridComponent, LegendComponent, TooltipComponent, SVGRenderer]);

export type EChartsOption = ComposeOption<
  BarSeriesOption | LineSeriesOption | GridComponentOption | LegendComponentOption | TooltipComponentOption
>;

export { init };
