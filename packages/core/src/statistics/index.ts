export { median } from './median.js';
export { differenceP, discoveries, normalTail, ratioInterval } from './significance.js';
export { shareRise, type ShareRise } from './share-rise.js';
