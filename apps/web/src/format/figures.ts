import { byteCount, percent } from './numbers.js';
import { valueText } from './values.js';

/** Seconds as people say them. */
export const secondsText = (seconds: number): string =>
  Math.abs(seconds) >= 1 && Math.abs(seconds) < 60
    ? `${Number(seconds.toPrecision(3))} s`
    : valueText(seconds, 's');

/** A figure with its unit. */
export function figureText(value: number, unit: string): string {
  if (unit === 'share') return percent(value);
  if (unit === 's') return secondsText(value);
  if (unit === 'By' || unit === 'B') return byteCount(value);
  const number = valueText(value, undefined);
  // Units in braces only say what is counted, which the name does already.
  const shown = unit.replace(/\{[^}]*\}/g, '').replace(/^\/min$/, '');
  return shown === '' || shown === '1' ? number : `${number} ${shown.replace('/min', '')}`.trim();
}
