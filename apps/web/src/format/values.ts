import type { SummaryColumn } from '@flail/contract';
import { byteCount, percent, shortCount } from './numbers.js';
import { duration } from './times.js';

/** A number with its unit, as short as it stays readable. */
export function valueText(value: number, unit: SummaryColumn['unit']): string {
  switch (unit) {
    case 's':
      return value < 1 ? `${Number((value * 1000).toPrecision(3))} ms` : duration(value * 1000);
    case 'B':
      return byteCount(Math.round(value));
    case 'share':
      return percent(value);
    case '/s':
      return `${numberText(value)}/s`;
    case undefined:
      return numberText(value);
  }
}

const numberText = (value: number): string =>
  Math.abs(value) >= 1000 ? shortCount(value) : String(Number(value.toPrecision(4)));
