import type { PatternsSearchAnswer } from '@flail/contract';
import { fullCount, plural } from '../format/numbers.js';

/** The finding above the list of patterns, in one sentence and no more certain than the counts. */
export function patternFinding(answer: PatternsSearchAnswer, hasBaseline: boolean): string {
  const { changes, matched, total } = answer;
  const all = `${plural(matched.focus, 'record')} in ${plural(total, 'pattern')}.`;
  if (matched.focus === 0 && matched.baseline === 0)
    return 'No record in the focus, and none in the baseline.';
  if (!hasBaseline) return `${all} Without a baseline nothing can be said of what changed.`;
  const parts: string[] = [];
  if (changes['first seen'] > 0) parts.push(`${fullCount(changes['first seen'])} never seen before`);
  if (changes['new here'] > 0) parts.push(`${fullCount(changes['new here'])} absent from the baseline`);
  if (changes.more > 0) parts.push(`${fullCount(changes.more)} grew`);
  if (changes.less > 0) parts.push(`${fullCount(changes.less)} shrank`);
  if (changes.ceased > 0) parts.push(`${fullCount(changes.ceased)} ceased`);
  return parts.length === 0
    ? `${all} Nothing new here; all run as in the baseline.`
    : `${all} ${listed(parts)}; the others run as before.`;
}

function listed(parts: readonly string[]): string {
  const text = parts.length === 1 ? parts[0]! : `${parts.slice(0, -1).join(', ')} and ${parts.at(-1)}`;
  return text[0]!.toUpperCase() + text.slice(1);
}
