import type { DatasetSummary } from '@flail/contract';
import { shortCount } from '../format/numbers.js';

/** How much is held: lines, or where there are none the spans of requests. */
export function heldText(dataset: DatasetSummary | undefined): string {
  if (!dataset) return '';
  const { records, spans } = dataset;
  return records === 0 && spans > 0
    ? `${shortCount(spans)} spans held`
    : `${shortCount(records)} records held`;
}
