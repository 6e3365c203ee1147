import type { OnsetGroupBody, OnsetKindName, OnsetsSearchAnswer } from '@flail/contract';
import { fullCount, percent, plural } from '../format/numbers.js';
import { clockTime, duration } from '../format/times.js';
import { figureText } from '../format/figures.js';

/** The glyph of a kind; a word stands beside it where there is room. */
export const GLYPHS: Record<OnsetKindName, string> = {
  load: '↑',
  saturation: '▣',
  latency: '◷',
  errors: '✕',
  volume: '≡',
  availability: '○',
};

/** What a candidate is taken for, in words. */
export const ROLE_WORDS = {
  'likely origin': 'may be the origin',
  consequence: 'a consequence',
  open: 'open whether cause or consequence',
} as const;

/** Time of day of an onset, to the minute. */
export const onsetTime = (moment: string): string => clockTime(moment).slice(0, 5);

export const groupName = ({ service, measure }: Pick<OnsetGroupBody, 'service' | 'measure'>): string =>
  service === '' ? measure : `${service}, ${measure}`;

/** How long until it is at its limit, at this pace. */
const limitText = (seconds: number): string => `at its limit in ${duration(1000 * seconds)}`;

/** How far a group went: "14 times", "41% less", "from nothing". */
export function sizeText({
  value,
  usual,
  side,
  silent,
  limitIn,
}: Pick<OnsetGroupBody, 'value' | 'usual' | 'side' | 'silent' | 'limitIn'>): string {
  if (silent) return 'silent';
  if (limitIn !== undefined) return limitText(limitIn);
  if (Math.abs(usual) < 1e-9) return side === 'above' ? 'from nothing' : 'to below nothing';
  // Of what is below nothing, or went there, shares say nothing.
  if (usual < 0 || value < 0) return side === 'above' ? 'higher' : 'lower';
  const ratio = value / usual;
  if (ratio >= 2) return `${ratio < 10 ? Number(ratio.toFixed(1)) : fullCount(Math.round(ratio))} times`;
  if (side === 'above') return `${percent(ratio - 1)} more`;
  return ratio <= 0 ? 'to nothing' : `${percent(1 - ratio)} less`;
}

/** What it came to, and what is usual. */
export const valueOf = ({
  value,
  usual,
  unit,
  silent,
}: Pick<OnsetGroupBody, 'value' | 'usual' | 'unit' | 'silent'>): string =>
  silent
    ? `not measured, usual ${figureText(usual, unit)}`
    : `${figureText(value, unit)}, usual ${figureText(usual, unit)}`;

/** By how much the onset may lie elsewhere: "give or take a minute". */
export function withinText({ within }: Pick<OnsetGroupBody, 'within'>): string {
  return `give or take ${within === 60 ? 'a minute' : duration(1000 * within)}`;
}

const areToldApart = (one: OnsetGroupBody, other: OnsetGroupBody): boolean =>
  Math.abs(Date.parse(one.onset) - Date.parse(other.onset)) > 1000 * Math.max(one.within, other.within);

/** What moved first, and how sure that is. */
export function onsetsFinding({ groups, origins, scanned }: OnsetsSearchAnswer): string {
  if (groups.length === 0)
    return `Nothing left its normal range, of ${plural(scanned, 'series', 'series')} looked at.`;
  const [first, second] = origins;
  const of = groups[first!.group]!;
  const near =
    second && !areToldApart(of, groups[second.group]!)
      ? `; ${groupName(groups[second.group]!)} moved so near to it that time does not tell which was first`
      : '';
  return `${plural(groups.length, 'measure')} of ${fullCount(scanned)} series left the normal. The likeliest to have begun it is ${groupName(of)}, at ${onsetTime(of.onset)}${near}.`;
}
