import type { Contrast } from './contrast.js';
import type { CohortTable } from './table.js';

/** A value that is commoner among the failing, and how much it tells: bits. */
export interface TellingValue {
  value: string;
  /** What it is a value of. */
  of: string;
  weight: number;
}

/** A line that was new before the failing began. */
export interface EarlyLine {
  pattern: string;
  service: string;
  /** Microseconds since 1970. */
  at: number;
  text: string;
  fields: Readonly<Record<string, string>>;
}

/** An early line with what it shares with the failing. */
export interface EarlyFinding {
  line: EarlyLine;
  shared: TellingValue[];
  score: number;
}

/** Values shorter than this stand in too many lines by chance. */
const SHORTEST = 3;
const MOST_VALUES = 60;
/** Bits that standing close before the onset tells, falling to half in so many microseconds. */
const CLOSE = 1;
const HALF = 600e6;
/** What is told of a request that fails is no reason for it: lines so shortly before it are its own, microseconds. */
const OWN = 500_000;

/**
 * The values that set the failing apart: those that the best terms name, by how seldom the healthy have them. Places
 * are left out: every line has one of its own.
 */
export function tellingValues(table: CohortTable, { differences }: Contrast): TellingValue[] {
  const found = new Map<string, TellingValue>();
  const healthyAll = table.failing.reduce((sum, one) => sum + (one === 0 ? 1 : 0), 0);
  for (const { term: head, apart, with: others } of differences)
    for (const { feature, asks } of [head, ...others]) {
      const { name, column } = table.features[feature]!;
      if (column.of !== 'categories' || asks.is !== 'in') continue;
      if ((name.kind !== 'field' && name.kind !== 'slot') || name.service !== undefined) continue;
      for (const code of asks.codes) {
        const value = column.values[code]!;
        if (value.length < SHORTEST || found.has(value)) continue;
        const healthy = column.codes.reduce(
          (sum, one, item) => sum + (one === code && table.failing[item] === 0 ? 1 : 0),
          0,
        );
        const weight = apart * -Math.log2((healthy + 1) / (healthyAll + 2));
        if (weight > 0.5) found.set(value, { value, of: name.name, weight });
      }
    }
  return [...found.values()].sort((a, b) => b.weight - a.weight).slice(0, MOST_VALUES);
}

/** Signs that part words, beside those that values are made of. */
const PARTED = /[\s,;|"'()[\]{}=<>]+/;

/**
 * Lines that came for the first time shortly before the failing began, on its way, by what they share with it: each
 * value counts for as many bits as it tells, and a little counts how close before it stood. A single harmless
 * looking line that names what the failing have in common may be the cause.
 *
 * @param onset when the failing began
 */
export function earlyFindings(
  lines: readonly EarlyLine[],
  values: readonly TellingValue[],
  onset: number,
): EarlyFinding[] {
  return lines
    .filter(({ at }) => at < onset - OWN)
    .map((line): EarlyFinding => {
      const words = new Set(
        [line.text, ...toldIn(line.fields)].flatMap((text) => [text, ...text.split(PARTED)]),
      );
      const shared = values.filter(({ value }) => words.has(value));
      const told = shared.reduce((sum, { weight }) => sum + weight, 0);
      return { line, shared, score: told + CLOSE * 2 ** (-(onset - line.at) / HALF) };
    })
    .sort((a, b) => b.score - a.score || b.line.at - a.line.at || (a.line.pattern < b.line.pattern ? -1 : 1));
}

/** What a sender declares of itself, and how loud a line is, names nothing. */
const OF_SENDER = new Set([
  'level',
  'service',
  'instance',
  'host',
  'site',
  'service.version',
  'trace',
  'span',
]);

const toldIn = (fields: Readonly<Record<string, string>>): string[] =>
  Object.entries(fields).flatMap(([name, value]) => (OF_SENDER.has(name) ? [] : [value]));
