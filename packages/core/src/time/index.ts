export { microsOf, momentText } from './moments.js';
export { parseMoment, parseWindow, type TimeWindow } from './window-text.js';
