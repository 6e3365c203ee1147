import type { MovedWithAnswer } from '@flail/contract';
import { fullCount, percent, plural } from '../format/numbers.js';

/** What moved with a series, in a sentence; never surer than the statistics. */
export function relatedFinding({ with: moved, compared, chance }: MovedWithAnswer): string {
  if (compared === 0) return 'Too little is known of it in this time to compare it with others.';
  if (moved.length === 0) return `Of ${plural(compared, 'series', 'series')} compared none moved as it did.`;
  const before = moved.filter(({ lag }) => lag < 0).length;
  const first =
    before === 0
      ? 'none of them before it'
      : `${fullCount(before)} of them before it, which is no proof of a cause`;
  return `${fullCount(moved.length)} of ${plural(compared, 'series', 'series')} moved as it did, ${first}. Of those named ${percent(chance)} may be so by chance.`;
}
