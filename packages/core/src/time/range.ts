/**
 * Moments that a record, a span, a measurement, a change or a run may have, microseconds since 1970: from the
 * beginning of 1970 to the end of 2199. What lies outside comes of a broken clock or of a number that is none, and
 * could neither be drawn nor be stored exactly. Every way in and every question checks its times here.
 */
export const EARLIEST_MICROS = 0;
/** The first moment that is too late. */
export const LATEST_MICROS = Date.UTC(2200, 0, 1) * 1000;

/** The range in words, for what is told to senders. */
export const MOMENTS_TEXT = 'from 1970 to 2199';

/** True for a moment in the range; false for what is no number. */
export const isMoment = (micros: number): boolean => micros >= EARLIEST_MICROS && micros < LATEST_MICROS;

/** The nearest moment in the range; the first one for what is no number. */
export const nearestMoment = (micros: number): number =>
  micros >= LATEST_MICROS ? LATEST_MICROS - 1 : micros >= EARLIEST_MICROS ? micros : EARLIEST_MICROS;
