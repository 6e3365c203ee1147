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

/** How many different values a field has, as far as they were kept. */
export function distinctText({ distinct, more }: Pick<FieldDifferenceBody, 'distinct' | 'more'>): string {
  if (!more) return plural(distinct, 'value');
  return distinct === 0 ? 'More values than are kept' : `At least ${plural(distinct, 'value')}`;
}

/** What sets a field's values apart between the windows, in one sentence and no more certain than the counts. */
export function fieldFinding({
  identifier,
  shift,
  values,
  focus,
  baseline,
  ...field
}: FieldDifferenceBody): string {
  const distinct = distinctText(field);
  if (identifier) return `${distinct}, nearly every one its own: an identifier.`;
  if (baseline === 0) return `${distinct} in ${fullCount(focus)} records.`;
  if (shift?.significant === true) {
    const up = shift.focus.median >= shift.baseline.median;
    return `${up ? 'Larger' : 'Smaller'} than in the baseline: half are under ${quantityText(shift.focus.median, shift.unit)}, were under ${quantityText(shift.baseline.median, shift.unit)}.`;
  }
  const telling = values.find(({ significant }) => significant);
  if (!telling) return `${distinct}, spread as in the baseline.`;
  return `${telling.value}: ${liftText(telling)}.`;
}
