import type { PlotAnswer } from '@flail/contract';
import { csvLine } from '@flail/core/table';
import { lineName } from './plots.js';

/** The numbers of plots, one line for each moment and series. */
export function csvOfPlots(answers: readonly PlotAnswer[]): string {
  const rows = answers.flatMap(({ name, unit, from, step, lines }) =>
    lines.flatMap(({ labels, values }) =>
      values.map((value, at) => [
        new Date(Date.parse(from) + at * step * 1000).toISOString(),
        lineName(labels, name),
        value === null ? '' : String(value),
        unit,
      ]),
    ),
  );
  return [['time', 'series', 'value', 'unit'], ...rows].map(csvLine).join('');
}
