export { microsOf, momentText } from './moments.js';
export { isMoment, LATEST_MICROS, MOMENTS_TEXT, nearestMoment } from './range.js';
export { parseMoment, parseWindow, type TimeWindow } from './window-text.js';
