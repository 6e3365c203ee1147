/** A line over time for a report. */
export interface ReportChart {
  title: string;
  unit: string;
  /** Seconds since 1970, and of each step. */
  from: number;
  step: number;
  values: readonly (number | null)[];
  /** The bad time, seconds. */
  focus: { from: number; to: number };
}

const WIDTH = 680;
const HEIGHT = 150;
const LEFT = 56;
const BOTTOM = 20;
const TOP = 24;
/** Of more seconds than this the day is told with the time. */
const DAYS_TOLD = 20 * 3600;

/** A chart as SVG that asks for nothing from outside. */
export function chartSvg({ title, unit, from, step, values, focus }: ReportChart): string {
  const known = values.filter((value) => value !== null);
  const most = Math.max(...known, 0) || 1;
  const least = Math.min(...known, 0);
  const end = from + step * values.length;
  const x = (moment: number): number => LEFT + ((moment - from) / (end - from)) * (WIDTH - LEFT - 8);
  const y = (value: number): number => TOP + (1 - (value - least) / (most - least)) * (HEIGHT - TOP - BOTTOM);
  let path = '';
  let gap = true;
  values.forEach((value, at) => {
    if (value === null) {
      gap = true;
      return;
    }
    path += `${gap ? 'M' : 'L'}${x(from + (at + 0.5) * step).toFixed(1)},${y(value).toFixed(1)}`;
    // One value alone is a point.
    if (gap && (values[at + 1] ?? null) === null) path += 'h0.1';
    gap = false;
  });
  const days = end - from > DAYS_TOLD;
  const clock = (moment: number): string => {
    const text = new Date(moment * 1000).toISOString();
    return days ? text.slice(5, 16).replace('T', ' ') : text.slice(11, 16);
  };
  const [bad, over] = [Math.max(from, focus.from), Math.min(end, focus.to)];
  const ticks = [0, 0.25, 0.5, 0.75, 1].map((part) => from + part * (end - from));
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${HEIGHT}" width="${WIDTH}" height="${HEIGHT}" role="img" font-family="sans-serif" font-size="11" fill="currentColor">`,
    `<title>${escaped(title)}</title>`,
    `<text x="0" y="12" font-weight="600">${escaped(title)}</text>`,
    over > bad
      ? `<rect x="${x(bad).toFixed(1)}" y="${TOP}" width="${(x(over) - x(bad)).toFixed(1)}" height="${HEIGHT - TOP - BOTTOM}" fill="#0b6e6e" opacity="0.08"/>`
      : '',
    `<path d="M${LEFT},${TOP}V${HEIGHT - BOTTOM}H${WIDTH - 8}" fill="none" stroke="#dcd7cb"/>`,
    `<text x="${LEFT - 4}" y="${TOP + 8}" text-anchor="end">${escaped(short(most, unit))}</text>`,
    `<text x="${LEFT - 4}" y="${HEIGHT - BOTTOM}" text-anchor="end">${escaped(short(least, unit))}</text>`,
    ...ticks.map(
      (tick, at) =>
        `<text x="${x(tick).toFixed(1)}" y="${HEIGHT - 6}" text-anchor="${at === 0 ? 'start' : at === ticks.length - 1 ? 'end' : 'middle'}">${clock(tick)}</text>`,
    ),
    `<path d="${path}" fill="none" stroke="#0b6e6e" stroke-width="1.5" stroke-linecap="round"/>`,
    '</svg>',
  ].join('');
}

const short = (value: number, unit: string): string =>
  unit === 'share'
    ? `${(100 * value).toFixed(0)}%`
    : `${Number(value.toPrecision(3))}${unit === 's' ? ' s' : ''}`;

const escaped = (text: string): string => text.replace(/[&<>"']/g, (sign) => `&#${sign.charCodeAt(0)};`);
