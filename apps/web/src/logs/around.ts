import type { LogRecord } from '@flail/contract';
import { quoteValue } from '@flail/core/expression';
import { microsOf, momentText } from '@flail/core/time';

/** Whose records are shown around one: everybody's, or only those that share something with it. */
export const COMPANY = ['all', 'instance', 'trace', 'run'] as const;
export type Company = (typeof COMPANY)[number];

export const COMPANY_WORDS: Record<Company, string> = {
  all: 'all records',
  instance: 'same instance',
  trace: 'same trace',
  run: 'same run',
};

/** How far around: so many lines on both sides, or so many minutes. */
export const REACHES = ['50 lines', '200 lines', '1 min', '5 min'] as const;
export type Reach = (typeof REACHES)[number];

const MINUTE = 60_000_000;
const DAY = 24 * 60 * MINUTE;
const MOST_LINES = 500;

/** Where a record stands, as it is kept in the address. */
export const placeText = ({ time, cursor }: Pick<LogRecord, 'time' | 'cursor'>): string =>
  `${time}~${cursor}`;

export function placeOf(text: string): { time: string; cursor: string } | undefined {
  const [time, cursor] = text.split('~');
  return time !== undefined && cursor !== undefined && !Number.isNaN(microsOf(time))
    ? { time, cursor }
    : undefined;
}

/** The scope that keeps only records that share something with one; undefined where it has no such thing. */
export function companyScope(
  { service, fields }: Pick<LogRecord, 'service' | 'fields'>,
  company: Company,
): string | undefined {
  const { instance, trace, run } = fields;
  switch (company) {
    case 'all':
      return '';
    case 'instance':
      return instance === undefined
        ? `service = ${quoteValue(service)}`
        : `service = ${quoteValue(service)} and instance = ${quoteValue(instance)}`;
    case 'trace':
      return trace === undefined ? undefined : `trace = ${quoteValue(trace)}`;
    case 'run':
      return run === undefined ? undefined : `run = ${quoteValue(run)}`;
  }
}

/** The window and number of lines that are looked for on each side. */
export function reachOf(time: string, reach: Reach): { window: { from: string; to: string }; limit: number } {
  const at = microsOf(time);
  const [count, unit] = reach.split(' ') as [string, string];
  const span = unit === 'min' ? Number(count) * MINUTE : DAY;
  return {
    window: { from: momentText(at - span), to: momentText(at + span) },
    limit: unit === 'min' ? MOST_LINES : Number(count),
  };
}

/** The window of one moment alone. */
export const momentWindow = (time: string): { from: string; to: string } => ({
  from: time,
  to: momentText(microsOf(time) + 1),
});
