/** Seconds or bytes of what stands behind a number. */
const UNITS: Record<string, number> = {
  ms: 0.001,
  s: 1,
  min: 60,
  m: 60,
  h: 3600,
  d: 86_400,
  kb: 1e3,
  mb: 1e6,
  gb: 1e9,
  k: 1e3,
};

const NUMBER = '(\\d+(?:\\.\\d+)?)\\s*([a-z]*)';
const COMPARED = new RegExp(`^(>=?|<=?|=)?\\s*${NUMBER}$`, 'i');
const RANGE = new RegExp(`^${NUMBER}\\s*(?:-|–|to)\\s*${NUMBER}$`, 'i');

/** What a filter of numbers asks: `> 30 s`, `<= 2 min`, `10 to 20`; a bare number is the least. Undefined where it can not be read. */
export function numberFilter(text: string): ((value: number) => boolean) | undefined {
  const range = RANGE.exec(text.trim());
  if (range) {
    const [, low, lowUnit, high, highUnit] = range;
    const from = numberOf(low!, lowUnit === '' ? highUnit! : lowUnit!);
    const to = numberOf(high!, highUnit!);
    return from === undefined || to === undefined ? undefined : (value) => value >= from && value <= to;
  }
  const [, sign = '>=', digits, unit] = COMPARED.exec(text.trim()) ?? [];
  const limit = digits === undefined ? undefined : numberOf(digits, unit!);
  if (limit === undefined) return undefined;
  switch (sign) {
    case '>':
      return (value) => value > limit;
    case '<':
      return (value) => value < limit;
    case '<=':
      return (value) => value <= limit;
    case '=':
      return (value) => value === limit;
    default:
      return (value) => value >= limit;
  }
}

function numberOf(digits: string, unit: string): number | undefined {
  const factor = unit === '' ? 1 : UNITS[unit.toLowerCase()];
  return factor === undefined ? undefined : Number(digits) * factor;
}
