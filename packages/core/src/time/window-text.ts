/** A stretch of time in milliseconds since 1970. */
export interface TimeWindow {
  from: number;
  to: number;
}

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;
const UNITS: Record<string, number> = {
  s: 1000,
  sec: 1000,
  second: 1000,
  m: MINUTE,
  min: MINUTE,
  minute: MINUTE,
  h: HOUR,
  hour: HOUR,
  d: DAY,
  day: DAY,
};
const WEEKDAYS = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat'];

/**
 * Reads a window as people write it: `last 15 min`, `18:00 to 18:20`, `18:00 – 18:20 yesterday`,
 * `Thu 18:00 to 18:40`, `2026-03-02 18:00 to 2026-03-02 19:00`, two RFC 3339 moments, `18:10 ± 5 min`.
 * Times without zone are local. Undefined when it can't be read or ends before it begins.
 */
export function parseWindow(text: string, now: number): TimeWindow | undefined {
  // A length behind a comma repeats what the times say.
  const source = text.trim().replace(/,\s*(?:[\d.]+\s*[a-z]+\s*)+$/i, '');
  const last = /^last\s+(\d+(?:\.\d+)?)?\s*([a-z]+?)s?$/i.exec(source);
  if (last) {
    const unit = UNITS[last[2]!.toLowerCase()];
    return unit === undefined ? undefined : { from: now - Number(last[1] ?? 1) * unit, to: now };
  }
  const around = /^(.+?)\s*(?:±|\+-|\+\/-)\s*(\d+)\s*([a-z]+?)s?$/i.exec(source);
  if (around) {
    const unit = UNITS[around[3]!.toLowerCase()];
    const moment = parseMoment(around[1]!, now);
    if (unit === undefined || moment === undefined) return undefined;
    return { from: moment - Number(around[2]) * unit, to: moment + Number(around[2]) * unit };
  }
  const parts = source.split(/\s*(?:–|—|\bto\b|\.\.)\s*|\s+-\s+/);
  if (parts.length !== 2) return undefined;
  const [start, end] = sharingDay(parts[0]!, parts[1]!);
  const from = parseMoment(start, now);
  if (from === undefined) return undefined;
  const to = parseMoment(end, now, from);
  if (to === undefined) return undefined;
  // "23:50 to 00:10" runs over midnight.
  const shifted = to <= from && /^\d{1,2}:\d\d(:\d\d)?$/.test(end) ? to + DAY : to;
  return shifted > from ? { from, to: shifted } : undefined;
}

/** A day named only once belongs to both ends. */
function sharingDay(start: string, end: string): [string, string] {
  const day = /\s*\b(yesterday|today|mon|tue|wed|thu|fri|sat|sun)[a-z]*$/i.exec(end);
  const clock = /^\d{1,2}:\d\d/.test(start);
  return day && clock && !/[a-z]/i.test(start) ? [`${start} ${day[1]!}`, end] : [start, end];
}

const CLOCK = /(\d{1,2}):(\d\d)(?::(\d\d)(?:\.(\d{1,3}))?)?/;

/** Reads a moment: `now`, `18:00`, `yesterday 18:00`, `Thu 18:00`, `2026-03-02 18:00`, RFC 3339. A bare clock time is on the day of `near`, else the latest such time before now. */
export function parseMoment(text: string, now: number, near?: number): number | undefined {
  const source = text.trim();
  if (/^now$/i.test(source)) return now;
  if (/^\d{4}-\d\d-\d\d/.test(source)) {
    const iso = /^(\d{4}-\d\d-\d\d)(?:[T ](\d{1,2}:\d\d.*))?$/.exec(source);
    const clock = iso?.[2]?.padStart(iso[2].indexOf(':') === 1 ? iso[2].length + 1 : 0, '0') ?? '00:00';
    const moment = iso ? new Date(`${iso[1]}T${clock}`).getTime() : NaN;
    return Number.isNaN(moment) ? undefined : moment;
  }
  const clock = CLOCK.exec(source);
  if (!clock || Number(clock[1]) > 24 || Number(clock[2]) > 59) return undefined;
  const rest = source.replace(CLOCK, '').replaceAll(',', ' ').trim().toLowerCase();
  const day = new Date(rest === '' && near !== undefined ? near : now);
  day.setHours(
    Number(clock[1]),
    Number(clock[2]),
    Number(clock[3] ?? 0),
    Number((clock[4] ?? '0').padEnd(3, '0')),
  );
  if (rest === 'yesterday') return addDays(day, -1);
  if (rest === '' || rest === 'today')
    return rest === '' && near === undefined && day.getTime() > now ? addDays(day, -1) : day.getTime();
  const weekday = WEEKDAYS.indexOf(rest.slice(0, 3));
  if (weekday < 0) return undefined;
  const back = (day.getDay() - weekday + 7) % 7;
  const moment = addDays(day, -back);
  return moment > now ? addDays(day, -back - 7) : moment;
}

/** Whole days on the calendar, so that a change of the clocks keeps the time of day. */
function addDays(day: Date, days: number): number {
  const moved = new Date(day);
  moved.setDate(moved.getDate() + days);
  return moved.getTime();
}
