const exact = new Intl.NumberFormat('en');

/** A count in full: 34,795. */
export const fullCount = (count: number): string => exact.format(count);

/** A count as short as it stays readable: 874, 12.4k, 3.1M. */
export function shortCount(count: number): string {
  if (count < 1000) return Number.isInteger(count) ? String(count) : count.toFixed(1);
  if (count < 999_500) return `${(count / 1000).toFixed(count < 99_950 ? 1 : 0)}k`;
  return `${(count / 1_000_000).toFixed(1)}M`;
}

/** A share as a percentage with as many digits as it bears. */
export function percent(share: number): string {
  const value = share * 100;
  if (value === 0) return '0%';
  return `${value < 0.1 ? value.toFixed(2) : value < 10 ? value.toFixed(1) : value.toFixed(0)}%`;
}

export function byteCount(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  if (bytes < 1e6) return `${(bytes / 1e3).toFixed(1)} kB`;
  return bytes < 1e9 ? `${(bytes / 1e6).toFixed(1)} MB` : `${(bytes / 1e9).toFixed(2)} GB`;
}

export const plural = (count: number, one: string, many = `${one}s`): string =>
  `${fullCount(count)} ${count === 1 ? one : many}`;
