import type { SourceSummary } from '@flail/contract';
import { percent, plural } from '../format/numbers.js';

/** The sentence above the inventory: how many send, and what to look at first. */
export function sourcesFinding(sources: readonly SourceSummary[]): string {
  const names = new Set(sources.map(({ name }) => name));
  const bytes = sources.reduce((sum, source) => sum + source.bytes, 0);
  const [largest] = [...sources].sort((a, b) => b.bytes - a.bytes);
  const share = largest && bytes > 0 ? largest.bytes / bytes : 0;
  const what =
    largest?.signal === 'spans' ? `the spans of ${largest.name} make` : `${largest?.name ?? ''} makes`;
  const first = `${plural(names.size, 'source sends', 'sources send')}; ${what} ${percent(share)} of all bytes.`;
  const warned = sources.filter(({ warnings }) => warnings.length > 0);
  if (warned.length === 0) return `${first} Nothing is wrong with any of them.`;
  const [one] = warned;
  const others =
    warned.length > 1 ? ` ${plural(warned.length - 1, 'other has', 'others have')} something too.` : '';
  return `${first} Look at ${one!.name}: ${one!.warnings[0]!}${others}`;
}
