import type { AggregateName, GhostName, PlotAnswer, SeriesSource } from '@flail/contract';
import { percent } from '../format/numbers.js';
import { clockTime, dayTime } from '../format/times.js';
import { figureText } from '../format/figures.js';
import { sizeText } from '../onsets/sentences.js';

export const LINE_KINDS = ['line', 'step', 'area', 'bar'] as const;
export type LineKind = (typeof LINE_KINDS)[number];

export const AGGREGATES: readonly AggregateName[] = [
  'avg',
  'max',
  'min',
  'sum',
  'rate',
  'count',
  'p50',
  'p95',
  'p99',
];

/** A plot as it stands in the address: what is drawn in it, and how. */
export interface PlotSpec {
  sources: SeriesSource[];
  kind: LineKind;
  ghosts: GhostName[];
}

export const plotOf = (source: SeriesSource): PlotSpec => ({ sources: [source], kind: 'line', ghosts: [] });

/** What is looked at first, where nothing was chosen: how requests went. */
export const FIRST_PLOTS: readonly PlotSpec[] = (['failed', 'p95', 'rate'] as const).map((figure) =>
  plotOf({ of: 'requests', figure }),
);

/** Reads plots from the address; what can not be read is as if it were not there. */
export function plotsFrom(text: string): PlotSpec[] {
  if (text === '') return [...FIRST_PLOTS];
  try {
    const read = JSON.parse(text) as unknown;
    return Array.isArray(read) ? read.filter(isPlot) : [];
  } catch {
    return [];
  }
}

export const plotsText = (plots: readonly PlotSpec[]): string => JSON.stringify(plots);

const OF: readonly SeriesSource['of'][] = ['metric', 'requests', 'pattern', 'expression'];

function isPlot(value: unknown): value is PlotSpec {
  const { sources, kind, ghosts } = (value ?? {}) as Partial<PlotSpec>;
  return (
    Array.isArray(sources) &&
    sources.length > 0 &&
    sources.every((one) => OF.includes((one as Partial<SeriesSource>).of!)) &&
    LINE_KINDS.includes(kind!) &&
    Array.isArray(ghosts)
  );
}

/** What a line is called, by what tells it from the others of its plot. */
export const lineName = (labels: Readonly<Record<string, string>>, name: string): string =>
  Object.values(labels)
    .map((value) => (value === '' ? 'none' : value))
    .join(', ') || name;

/** What a source is measured of, in words: "of one service, by instance". */
export function sourceAbout(source: SeriesSource): string {
  if (source.of !== 'metric') return '';
  const of = Object.entries(source.where ?? {})
    .map(([label, values]) => (values.length > 2 ? `${values.length} of ${label}` : values.join(' and ')))
    .filter((part) => part !== '');
  return [...of, ...(source.by && source.by.length > 0 ? [`by ${source.by.join(', ')}`] : [])].join(', ');
}

const clock = (moment: string): string => clockTime(moment).slice(0, 5);

/** What is to be seen in a plot, in a sentence; the focus begins at a moment. */
export function plotFinding(answer: PlotAnswer, focusFrom: number): string {
  const { lines, unit, normal, moved, hidden, limit } = answer;
  const parts: string[] = [];
  if (lines.every(({ values }) => values.every((value) => value === null)))
    return 'Nothing was measured in this time.';
  if (hidden)
    parts.push(
      `The average hides it: ${hidden.member} came to ${figureText(hidden.value, unit)} at ${clock(hidden.onset)}, usual ${figureText(hidden.usual, unit)}`,
    );
  else if (moved)
    parts.push(
      `${cap(sizeText(moved))}, from ${clock(moved.onset)} ${moved.goesOn ? 'on' : `to ${clock(moved.end)}`}: ${figureText(moved.value, unit)}, usual ${figureText(moved.usual, unit)}`,
    );
  else if (normal) parts.push(rangeText(answer, focusFrom));
  else if (lines.length > 1) parts.push(`${lines.length} lines`);
  else parts.push('Too little is known of the time before to say what is normal');
  if (limit?.used !== undefined) parts.push(`at most ${percent(limit.used)} of its limit used`);
  return `${parts.join('; ')}.`;
}

/** Where a line that did not leave its range with the focus lies: it may be beyond it all along, or often. */
function rangeText({ lines, normal, from, step }: PlotAnswer, focusFrom: number): string {
  const values = lines[0]?.values ?? [];
  const first = Math.max(0, Math.ceil((focusFrom - Date.parse(from)) / 1000 / step));
  const share = (start: number, end: number, side: 'above' | 'below'): number => {
    const known = values.slice(start, end).flatMap((value, at) => {
      const bound = (side === 'above' ? normal!.high : normal!.low)[start + at];
      return value === null || bound === null || bound === undefined
        ? []
        : [side === 'above' ? value > bound : value < bound];
    });
    return known.length === 0 ? 0 : known.filter(Boolean).length / known.length;
  };
  const side = (['above', 'below'] as const).find((one) => share(first, values.length, one) > 0.5);
  if (!side) return 'Within its normal range in the focus';
  return share(0, first, side) > 0.5
    ? `${cap(side)} its normal range, as before the focus already`
    : `${cap(side)} its normal range in the focus, as it often is`;
}

const cap = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

/** Where the cursor stands, and what was measured there. */
export function readingAt({ lines, name, unit, from, step }: PlotAnswer, moment: number): string {
  const at = Math.floor((moment - Date.parse(from)) / 1000 / step);
  const values = lines
    .map(({ labels, values: own }) => ({ name: lineName(labels, name), value: own[at] ?? null }))
    .filter(({ value }) => value !== null)
    .sort((a, b) => b.value! - a.value!);
  const shown = values.slice(0, 4).map((one) => `${one.name} ${figureText(one.value!, unit)}`);
  const more = values.length > shown.length ? ` and ${values.length - shown.length} lower` : '';
  return `${dayTime(moment)}: ${shown.length === 0 ? 'nothing measured' : shown.join(', ')}${more}`;
}
