import { parseMoment, parseWindow, type TimeWindow } from '../time/window-text.js';

/** A time that a sentence names, in its words, and the sentence without it. */
export interface TimeNamed {
  window: TimeWindow;
  words: string;
  rest: string;
}

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
/** About a moment: so much before and after it. */
const ABOUT = 10 * MINUTE;
/** Before a moment, where nothing says since when. */
const BEFORE = HOUR;

const UNITS: Record<string, number> = {
  second: 1000,
  minute: MINUTE,
  hour: HOUR,
  day: 24 * HOUR,
  week: 7 * 24 * HOUR,
};
const UNIT = '(?:s|secs?|seconds?|m|mins?|minutes?|h|hours?|d|days?|w|weeks?)';
const COUNTS: Record<string, number> = { a: 1, an: 1, one: 1, two: 2, three: 3, five: 5, ten: 10, half: 0.5 };
const COUNT = '(?:\\d+(?:\\.\\d+)?|half an|half a|an?|one|two|three|five|ten)';

/** Hours of the day that parts of it have. */
const PARTS: Record<string, [from: number, to: number]> = {
  morning: [6, 12],
  afternoon: [12, 18],
  evening: [18, 24],
  night: [20, 30],
};

const DAYS = '(?:today|yesterday|mon|tues?|wednes|wed|thurs?|fri|satur|sat|sun)(?:day)?';
const CLOCK = '\\d{1,2}:\\d\\d(?::\\d\\d)?';
const ISO = '\\d{4}-\\d\\d-\\d\\d(?:[T ]\\d{1,2}:\\d\\d(?::\\d\\d)?(?:\\.\\d+)?Z?)?';
const AGO = `${COUNT}\\s*${UNIT}\\s+ago`;
const PART =
  '(?:last night|this morning|this afternoon|this evening|tonight|yesterday (?:morning|afternoon|evening))';
const MOMENT = `(?:${ISO}|${AGO}|${PART}|${DAYS}\\s*,?\\s*(?:at\\s+)?${CLOCK}|${CLOCK}(?:\\s+${DAYS})?|${DAYS}|midnight|noon|now)`;

const FORMS: [form: string, windowOf: (parts: string[], now: number) => TimeWindow | undefined][] = [
  [
    `(?:between|from)\\s+(${MOMENT})\\s+(?:and|to|until|till)\\s+(${MOMENT})`,
    ([from, to], now) => span(from!, to!, now),
  ],
  [`(${CLOCK}\\s*(?:to|–|-)\\s*${CLOCK}(?:\\s+${DAYS})?)`, ([text], now) => parseWindow(text!, now)],
  [
    `(?:in|over|for|during|within)?\\s*(?:the\\s+)?(?:last|past)\\s+(${COUNT}?)\\s*(${UNIT})`,
    ([count, unit], now) => ({ from: now - lengthOf(count, unit!), to: now }),
  ],
  [
    `(?:since|after|from)\\s+(${MOMENT})(?:\\s+on)?`,
    ([moment], now) => {
      const start = dayOrMoment(moment!, now);
      return start && { from: start.from, to: now };
    },
  ],
  [
    `(?:before|until|till)\\s+(${MOMENT})`,
    ([moment], now) => {
      const end = dayOrMoment(moment!, now);
      return end && { from: end.from - BEFORE, to: end.from };
    },
  ],
  [`(?:at|around|about|near)\\s+(${MOMENT})`, ([moment], now) => about(moment!, now)],
  [`(?:on\\s+)?(${PART}|${DAYS})`, ([moment], now) => dayOrMoment(moment!, now)],
  [`(${ISO}|${CLOCK}(?:\\s+${DAYS})?|${AGO})`, ([moment], now) => about(moment!, now)],
];

/** The time that a sentence names: "since yesterday", "in the last 15 minutes", "from 18:00 to 18:20". */
export function timeNamed(sentence: string, now: number): TimeNamed | undefined {
  for (const [form, windowOf] of FORMS) {
    const found = new RegExp(`(?<![\\w:.-])${form}(?![\\w:])`, 'i').exec(sentence);
    if (!found) continue;
    const window = windowOf(
      found.slice(1).map((part) => part ?? ''),
      now,
    );
    if (!window || window.from >= window.to) continue;
    const words = found[0].trim();
    const rest = `${sentence.slice(0, found.index)} ${sentence.slice(found.index + found[0].length)}`;
    return { window, words, rest };
  }
  return undefined;
}

function lengthOf(count: string | undefined, unit: string): number {
  const words = (count ?? '').toLowerCase().split(' ')[0]!;
  const number = words === '' ? 1 : (COUNTS[words] ?? Number(words));
  const own = Object.keys(UNITS).find((name) => name.startsWith(unit.toLowerCase().slice(0, 1)))!;
  return number * UNITS[own]!;
}

function span(from: string, to: string, now: number): TimeWindow | undefined {
  const start = dayOrMoment(from, now)?.from;
  if (start === undefined) return undefined;
  const end = parseMoment(to, now, start) ?? dayOrMoment(to, now)?.from;
  return end === undefined ? undefined : { from: start, to: end };
}

function about(text: string, now: number): TimeWindow | undefined {
  const moment = dayOrMoment(text, now);
  return moment && { from: moment.from - ABOUT, to: Math.min(now, moment.from + ABOUT) };
}

/** A day, or a part of one, as the window that it is; a moment as one from it on. */
function dayOrMoment(text: string, now: number): TimeWindow | undefined {
  const words = text.toLowerCase().trim();
  const ago = new RegExp(`^(${COUNT})\\s*(${UNIT})\\s+ago$`).exec(words);
  if (ago) return { from: now - lengthOf(ago[1], ago[2]!), to: now };
  const midnight = (days: number): number => {
    const day = new Date(now);
    day.setHours(0, 0, 0, 0);
    day.setDate(day.getDate() + days);
    return day.getTime();
  };
  const part = /(morning|afternoon|evening|night)$/.exec(words.replace('tonight', 'this night'));
  if (part) {
    const [from, to] = PARTS[part[1]!]!;
    const back = /^(last|yesterday)/.test(words) ? -1 : 0;
    return { from: midnight(back) + from * HOUR, to: Math.min(now, midnight(back) + to * HOUR) };
  }
  if (words === 'noon') return { from: midnight(0) + 12 * HOUR, to: now };
  if (words === 'midnight') return { from: midnight(0), to: now };
  if (words === 'today') return { from: midnight(0), to: now };
  if (words === 'yesterday') return { from: midnight(-1), to: midnight(0) };
  const weekday = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat'].indexOf(words.slice(0, 3));
  if (weekday >= 0 && !words.includes(':')) {
    const back = (new Date(now).getDay() - weekday + 7) % 7 || 7;
    return { from: midnight(-back), to: midnight(1 - back) };
  }
  const moment = parseMoment(words.replace(/\bat\s+/, '').replace(/^(\d.*?)\s*,\s*/, '$1 '), now);
  return moment === undefined ? undefined : { from: moment, to: now };
}
