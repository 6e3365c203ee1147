/** What a series of moments says about being periodic. All lengths in microseconds. */
export interface Regularity {
  events: number;
  /** False where no period stands out beyond chance. */
  periodic: boolean;
  /** Chance of a peak like this among events at random times. */
  p: number;
  period?: number;
  /** Standard deviation of the beats around their due times. */
  jitter?: number;
  /** Due times at which nothing came, between the first and the last beat. */
  missed?: number[];
  beats?: number;
  /** Share of the events that lie near a due time. */
  onBeat?: number;
}

/** Events looked at; of more, the newest. */
export const MAX_EVENTS = 3000;
const LEAST_EVENTS = 6;
/** Chance under which a period is believed. */
const BELIEVED = 1e-4;
const OVERSAMPLED = 4;
const MAX_MISSED = 200;

/**
 * Finds the period of events by the Rayleigh periodogram: for each frequency, how well the phases of the
 * events agree (Z = |Σ exp(2πi f t)|² / n; Z is exponential for random phases: Rayleigh 1919, and for many
 * frequencies tested, Scargle 1982). A train of beats agrees at all multiples of its frequency too, so the
 * lowest frequency that agrees nearly as well as the best is taken. Beats are then matched to due times,
 * which gives jitter and what was missed.
 *
 * @param times moments in rising order
 */
export function regularityOf(times: readonly number[]): Regularity {
  const moments = times.slice(-MAX_EVENTS);
  const count = moments.length;
  const none: Regularity = { events: times.length, periodic: false, p: 1 };
  const first = moments[0]!;
  const length = moments[count - 1]! - first;
  if (count < LEAST_EVENTS || !(length > 0)) return none;
  const gaps = moments.slice(1).map((moment, at) => moment - moments[at]!);
  const positive = gaps.filter((gap) => gap > 0).sort((a, b) => a - b);
  const typical = positive[Math.floor(positive.length / 2)]!;
  const step = 1 / (OVERSAMPLED * length);
  // Three cycles at least; and no faster than twice the usual gap allows.
  const lowest = 3 * OVERSAMPLED - 1;
  const frequencies = Math.min(8 * OVERSAMPLED * count, Math.ceil(2 / typical / step)) - lowest;
  if (frequencies < 2) return none;
  const strength = new Float64Array(frequencies);
  const cosines = new Float64Array(frequencies);
  const sines = new Float64Array(frequencies);
  for (const moment of moments) {
    const angle = 2 * Math.PI * (moment - first) * step;
    // The phase at each next frequency by turning the one before: no sine is worked out for each.
    const [turnX, turnY] = [Math.cos(angle), Math.sin(angle)];
    let x = Math.cos(angle * lowest);
    let y = Math.sin(angle * lowest);
    for (let at = 0; at < frequencies; at++) {
      cosines[at]! += x;
      sines[at]! += y;
      const next = x * turnX - y * turnY;
      y = x * turnY + y * turnX;
      x = next;
    }
  }
  let best = 0;
  for (let at = 0; at < frequencies; at++) {
    strength[at] = (cosines[at]! ** 2 + sines[at]! ** 2) / count;
    if (strength[at]! > strength[best]!) best = at;
  }
  const p = -Math.expm1(frequencies * Math.log1p(-Math.exp(-strength[best]!)));
  if (!(p < BELIEVED)) return { ...none, p: Number.isNaN(p) ? 1 : p };
  const lowestGood = strength.findIndex((z, at) => z >= 0.6 * strength[best]! && isPeak(strength, at));
  const period = refined(moments, 1 / ((lowest + (lowestGood < 0 ? best : lowestGood)) * step));
  return { ...none, p, periodic: true, ...beatsOf(moments, period) };
}

const isPeak = (strength: Float64Array, at: number): boolean =>
  strength[at]! >= (strength[at - 1] ?? 0) && strength[at]! >= (strength[at + 1] ?? 0);

/** The period near a first guess at which the phases agree best. */
function refined(moments: readonly number[], guess: number): number {
  const length = moments.at(-1)! - moments[0]!;
  const agreement = (period: number): number => {
    let x = 0;
    let y = 0;
    for (const moment of moments) {
      const angle = (2 * Math.PI * (moment - moments[0]!)) / period;
      x += Math.cos(angle);
      y += Math.sin(angle);
    }
    return x * x + y * y;
  };
  let best = guess;
  // A period off by this much runs away by a whole beat over the length looked at.
  let width = (guess * guess) / length / 2;
  for (let round = 0; round < 6; round++) {
    const centre = best;
    for (let at = -5; at <= 5; at++) {
      const period = centre + (at * width) / 5;
      if (period > 0 && agreement(period) > agreement(best)) best = period;
    }
    width /= 4;
  }
  return best;
}

function beatsOf(moments: readonly number[], period: number): Partial<Regularity> {
  let x = 0;
  let y = 0;
  for (const moment of moments) {
    const angle = (2 * Math.PI * (moment - moments[0]!)) / period;
    x += Math.cos(angle);
    y += Math.sin(angle);
  }
  const phase = (Math.atan2(y, x) / (2 * Math.PI)) * period;
  const start = moments[0]! + phase;
  const near = period / 4;
  const hit = new Set<number>();
  let squares = 0;
  let on = 0;
  for (const moment of moments) {
    const beat = Math.round((moment - start) / period);
    const off = moment - start - beat * period;
    if (Math.abs(off) > near) continue;
    hit.add(beat);
    squares += off * off;
    on++;
  }
  const beats = [...hit].sort((a, b) => a - b);
  const missed: number[] = [];
  for (let beat = beats[0] ?? 0; beat < (beats.at(-1) ?? 0) && missed.length < MAX_MISSED; beat++) {
    if (!hit.has(beat)) missed.push(Math.round(start + beat * period));
  }
  return {
    period,
    jitter: Math.sqrt(squares / Math.max(1, on)),
    missed,
    beats: hit.size,
    onBeat: on / moments.length,
  };
}
