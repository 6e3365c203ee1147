export { climbOf } from './climb.js';
export { type Deviation, deviationOf, hiddenInAverage, type HowTold } from './deviation.js';
export {
  type ChangeNear,
  dependenciesOf,
  groupsOf,
  inLadderOrder,
  kindOf,
  type Moved,
  movedAfter,
  type OnsetGroup,
  type OnsetKind,
  type OnsetRole,
  type OriginCandidate,
  originsOf,
  type RequestFigure,
  type SeriesOf,
} from './ladder.js';
export { type Compared, comparedOf, type Together, together } from './moved-with.js';
export { beganByLines, FIRST_LINES, rateDeviation } from './pattern-rate.js';
export { type Silence, silenceOf } from './silence.js';
