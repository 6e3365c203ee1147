export { type Burn, budgetLeft, burnOf, type Objective, timeLeft } from './burn.js';
export { chiSquareTail, homogeneityP, type Member, type Spread, spreadOf } from './spread.js';
export {
  failingSince,
  type Figure,
  figureOf,
  type Hour,
  hoursOf,
  requestSeries,
  type RequestSeries,
  retriedOf,
  type Retried,
} from './overview.js';
export { type Leak, leakOf } from './leak.js';
export { failingFollows, type Follows, type Sibling, slownessFollows } from './suspect.js';
export { firstSince, sumsSince } from './since.js';
