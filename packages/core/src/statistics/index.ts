export { median } from './median.js';
export { differenceP, discoveries, normalTail, ratioInterval } from './significance.js';
