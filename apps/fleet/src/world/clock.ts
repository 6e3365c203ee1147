export const SECOND = 1000;
export const MINUTE = 60 * SECOND;
export const HOUR = 60 * MINUTE;
export const DAY = 24 * HOUR;

/** History that a demo begins with. */
export const HISTORY_DAYS = 8;

/** Hour of the simulated day at the moment the demo is anchored to: a sailing peak began an hour before. */
const HOUR_AT_ANCHOR = 18;
/** Day of the simulated week at that moment; day 3 is the freight day. */
const DAY_AT_ANCHOR = 3;

/** The simulated clock at a moment: it is shifted so that the demo looks the same at any hour of the real day. */
export function simulatedTime(moment: number, anchor: number): { day: number; hour: number } {
  const hours = (moment - anchor) / HOUR + HOUR_AT_ANCHOR + DAY_AT_ANCHOR * 24;
  const day = Math.floor(hours / 24);
  return { day: ((day % 7) + 7) % 7, hour: hours - day * 24 };
}

const bump = (hour: number, centre: number, width: number): number =>
  Math.exp(-(((hour - centre) / width) ** 2) / 2);

/** How busy the quays are, 1 being an average hour: two sailing peaks, a quiet night, one larger freight day a week. */
export function demandAt(moment: number, anchor: number): number {
  const { day, hour } = simulatedTime(moment, anchor);
  const daily = 0.25 + 1.9 * bump(hour, 7.8, 1.3) + 2.1 * bump(hour, 18, 1.4) + 0.7 * bump(hour, 12.8, 2.6);
  return daily * (day === 3 ? 1.35 : 1);
}

/** The minute that was spelled last: what happens together is told together. */
let spelled = { minute: NaN, text: '' };

/** A moment in RFC 3339, in milliseconds. */
export function isoTime(at: number): string {
  const minute = Math.floor(at / MINUTE);
  if (minute !== spelled.minute)
    spelled = { minute, text: new Date(minute * MINUTE).toISOString().slice(0, 17) };
  const within = String(Math.floor(at) - minute * MINUTE).padStart(5, '0');
  return `${spelled.text}${within.slice(0, 2)}.${within.slice(2)}Z`;
}
