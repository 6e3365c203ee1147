import type { NoiseAnswer } from '@flail/contract';
import { byteCount, percent, plural } from '../format/numbers.js';

/** What could be saved, in one sentence. */
export function noiseFinding({ rows, bytes, records }: NoiseAnswer): string {
  const all = `${plural(records, 'line')}, ${byteCount(bytes)}.`;
  const going = rows.filter(({ reasons }) => reasons.length > 0);
  const [first] = going;
  if (!first || bytes === 0) return `${all} Nothing in it speaks for being left out.`;
  const share = going.reduce((sum, row) => sum + row.bytes, 0) / bytes;
  const patterns = new Set(going.map(({ pattern }) => pattern)).size;
  return `${all} ${percent(first.bytes / bytes)} of the bytes are one ${first.level} pattern of ${first.source}; ${plural(patterns, 'pattern')} that may go are ${percent(share)}.`;
}
