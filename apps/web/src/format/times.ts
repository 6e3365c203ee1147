import dayjs from 'dayjs';

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

/** Local time of day with milliseconds, as lines show it. */
export const clockTime = (moment: string): string => dayjs(moment).format('HH:mm:ss.SSS');

/** Day and time, local. */
export const dayTime = (moment: number | string): string => dayjs(moment).format('ddd D MMM HH:mm');

/** A length of time: 40 min, 1 h 20 min, 2.5 s. */
export function duration(millis: number): string {
  if (millis < MINUTE) return `${Number((millis / 1000).toFixed(millis < 10_000 ? 1 : 0))} s`;
  if (millis < HOUR) {
    const minutes = millis / MINUTE;
    return `${Number(minutes.toFixed(minutes < 10 ? 1 : 0))} min`;
  }
  if (millis < 2 * DAY) {
    const minutes = Math.round(millis / MINUTE);
    const rest = minutes % 60;
    return rest === 0 ? `${minutes / 60} h` : `${Math.floor(minutes / 60)} h ${rest} min`;
  }
  return `${Number((millis / DAY).toFixed(1))} days`;
}

/** A window as people write it; `parseWindow` reads it back. */
export function windowText(from: number, to: number): string {
  const [start, end] = [dayjs(from), dayjs(to)];
  const seconds = to - from < 10 * MINUTE || start.second() !== 0 || end.second() !== 0;
  const clock = seconds ? 'HH:mm:ss' : 'HH:mm';
  const day = dayjs().diff(start, 'day') > 5 ? 'YYYY-MM-DD' : 'ddd';
  const ending = start.isSame(end, 'day') ? end.format(clock) : end.format(`${day} ${clock}`);
  return `${start.format(`${day} ${clock}`)} – ${ending}`;
}

/** How long ago, in one word or two. */
export function ago(moment: string, now: number): string {
  const millis = now - Date.parse(moment);
  return millis < MINUTE ? 'just now' : `${duration(millis)} ago`;
}
