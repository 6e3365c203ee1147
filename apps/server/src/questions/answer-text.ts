import type { QuestionPartBody } from '@flail/contract';
import type { Understood } from '@flail/core/questions';

/** Rows of a table that are shown. */
export const ROWS = 10;
/** What requests do that go wrong. */
export const WORDS = { failed: 'fail', refused: 'are refused', slow: 'are slow' } as const;

/** The operation that a question names. */
export const operationIn = ({ service, operation }: Understood): { service?: string; operation?: string } =>
  service !== undefined && operation !== undefined ? { service, operation } : {};

/** The first rows of what was found, and how many more there are. */
export function table<T>(
  columns: string[],
  found: readonly T[],
  row: (one: T) => (string | number)[],
): Pick<QuestionPartBody, 'columns' | 'rows' | 'more'> {
  if (found.length === 0) return {};
  return {
    columns,
    rows: found.slice(0, ROWS).map(row),
    ...(found.length > ROWS && { more: found.length - ROWS }),
  };
}

export const counted = (count: number): string => Math.round(count).toLocaleString('en');

export function share(part: number, all: number): string {
  const value = all === 0 ? 0 : (100 * part) / all;
  return `${value === 0 || value >= 10 ? value.toFixed(0) : value.toPrecision(2)}%`;
}

export const seconds = (value: number | undefined): string =>
  value === undefined ? '' : value < 1 ? `${(1000 * value).toFixed(0)} ms` : `${value.toPrecision(3)} s`;

export const duration = (value: number): string =>
  value < 120
    ? `${value.toFixed(0)} s`
    : value < 7200
      ? `${(value / 60).toFixed(0)} min`
      : `${(value / 3600).toFixed(1)} h`;

/** Day and time of day of a moment. */
export const dayClock = (moment: string): string => `${moment.slice(0, 10)} ${moment.slice(11, 19)} UTC`;
