import type { FieldDifferenceBody } from '@flail/contract';
import { fullCount, plural, shortCount } from '../format/numbers.js';
import { valueText } from '../format/values.js';
import { liftText } from '../paired/lift.js';

/** A number of a field with its unit. */
export const quantityText = (value: number, unit: 'number' | 'duration' | 'size'): string =>
  unit === 'duration'
    ? valueText(value, 's')
    : unit === 'size'
      ? valueText(value, 'B')
      : shortCount(Number(value.toPrecision(4)));

/** What sets a field's values apart between the windows, in one sentence and no more certain than the counts. */
export function fieldFinding({
  identifier,
  distinct,
  shift,
  values,
  focus,
  baseline,
}: FieldDifferenceBody): string {
  if (identifier) return `${plural(distinct, 'value')}, nearly every one its own: an identifier.`;
  if (baseline === 0) return `${plural(distinct, 'value')} in ${fullCount(focus)} records.`;
  if (shift?.significant === true) {
    const up = shift.focus.median >= shift.baseline.median;
    return `${up ? 'Larger' : 'Smaller'} than in the baseline: half are under ${quantityText(shift.focus.median, shift.unit)}, were under ${quantityText(shift.baseline.median, shift.unit)}.`;
  }
  const telling = values.find(({ significant }) => significant);
  if (!telling) return `${plural(distinct, 'value')}, spread as in the baseline.`;
  return `${telling.value}: ${liftText(telling)}.`;
}
