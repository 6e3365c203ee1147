export { parseMoment, parseWindow, type TimeWindow } from './window-text.js';
