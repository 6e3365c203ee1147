/** A number with what it measures, in base units: seconds, bytes, or a plain number (a percentage is a hundredth). */
export interface Quantity {
  value: number;
  dimension: 'number' | 'duration' | 'size';
}

const UNITS = new Map<string, [dimension: Quantity['dimension'], factor: number]>([
  ['', ['number', 1]],
  ['%', ['number', 0.01]],
  ['ns', ['duration', 1e-9]],
  ['us', ['duration', 1e-6]],
  ['µs', ['duration', 1e-6]],
  ['μs', ['duration', 1e-6]],
  ['ms', ['duration', 1e-3]],
  ['s', ['duration', 1]],
  ['sec', ['duration', 1]],
  ['m', ['duration', 60]],
  ['min', ['duration', 60]],
  ['h', ['duration', 3600]],
  ['d', ['duration', 86_400]],
  ['B', ['size', 1]],
  ['kB', ['size', 1e3]],
  ['KB', ['size', 1e3]],
  ['MB', ['size', 1e6]],
  ['GB', ['size', 1e9]],
  ['KiB', ['size', 1024]],
  ['MiB', ['size', 1024 ** 2]],
  ['GiB', ['size', 1024 ** 3]],
]);

const FORM = /^([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)([a-zA-Zµμ%]*)$/;

/** Reads `250ms`, `2s`, `10kB`, `5%` or a plain number; undefined for anything else. */
export function quantityOf(text: string): Quantity | undefined {
  const match = FORM.exec(text);
  const unit = match && UNITS.get(match[2]!);
  return unit ? { value: Number(match[1]) * unit[1], dimension: unit[0] } : undefined;
}

/** Unit that a field's name ends with, for values written without one: `duration_ms`, `size.bytes`. */
export function unitOfField(field: string): string {
  const end = /[._](ns|us|ms|s|sec|seconds|bytes|kb|mb)$/i.exec(field)?.[1]?.toLowerCase();
  const spelling: Record<string, string> = { seconds: 's', bytes: 'B', kb: 'kB', mb: 'MB' };
  return end === undefined ? '' : (spelling[end] ?? end);
}

/** Reads the values of a field: those without a unit have the one that its name ends with, percentages have theirs. */
export function quantityReader(field: string): (text: string) => Quantity | undefined {
  const unit = unitOfField(field);
  if (unit === '') return quantityOf;
  return (text) => {
    const found = quantityOf(text);
    return found?.dimension === 'number' && !text.endsWith('%') ? quantityOf(text + unit) : found;
  };
}
