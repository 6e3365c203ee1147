import type { PatternSummary } from '@flail/contract';

const WORDS: [from: number, word: string][] = [
  [1 / 1.25, 'somewhat less'],
  [1 / 1.7, 'half'],
  [1 / 2.5, 'a third'],
  [1 / 3.5, 'a quarter'],
  [1 / 4.5, 'a fifth'],
];

/** The lift in words: first seen, ceased, 14 times, a third, as before. */
export function liftWords({ change, lift }: Pick<PatternSummary, 'change' | 'lift'>): string {
  if (change !== 'more' && change !== 'less') return change;
  if (lift === undefined) return change;
  if (change === 'more') {
    if (lift < 1.75) return `${Math.round((lift - 1) * 100)}% more`;
    return `${lift < 10 ? Number(lift.toFixed(1)) : Math.round(lift).toLocaleString('en')} times`;
  }
  let word = 'less';
  for (const [from, name] of WORDS) if (lift <= from) word = name;
  return lift < 1 / 6 ? `a ${ordinal(Math.round(1 / lift))}` : word;
}

/** The same for a value whose change is only told by its counts. */
export function liftText({
  focus,
  baseline,
  lift,
}: {
  focus: number;
  baseline: number;
  lift?: number;
}): string {
  if (baseline === 0) return focus === 0 ? 'as before' : 'new here';
  if (focus === 0) return 'ceased';
  if (lift === undefined || (lift > 0.9 && lift < 1.1)) return 'as before';
  return liftWords({ change: lift > 1 ? 'more' : 'less', lift });
}

function ordinal(number: number): string {
  const tens = number % 100;
  if (tens >= 11 && tens <= 13) return `${number}th`;
  return `${number}${['th', 'st', 'nd', 'rd'][number % 10] ?? 'th'}`;
}
