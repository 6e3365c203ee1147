import type { RegularityAnswer } from '@flail/contract';
import { percent, plural } from '../format/numbers.js';
import { duration } from '../format/times.js';

/** Whether records come at regular intervals, in one sentence. */
export function regularitySentence({
  events,
  periodic,
  p,
  period,
  missed,
  onBeat,
}: RegularityAnswer): string {
  if (events < 3) return `Only ${plural(events, 'record')}: too few to tell.`;
  if (!periodic || period === undefined)
    return `${plural(events, 'record')} at no regular interval: what order there is could be chance (p = ${p.toPrecision(2)}).`;
  const share = onBeat === undefined ? '' : `, ${percent(onBeat)} of them on the beat`;
  const gaps =
    missed === undefined || missed.length === 0 ? 'none missed' : `${plural(missed.length, 'beat')} missed`;
  return `Every ${duration(period * 1000)}${share}, ${gaps}.`;
}
