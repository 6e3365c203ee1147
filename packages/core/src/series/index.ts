export { limitedBy, limitNames } from './limits.js';
export { type Normal, type NormalRange, normalRange, type Regular, type Season, theilSen } from './normal.js';
export { decodePoints, encodePoints } from './chunk.js';
export { seriesLine, SeriesLineError, type SeriesPart, seriesPartOf } from './lines.js';
export { readOpenMetrics } from './openmetrics.js';
export {
  boundsOf,
  cutPoints,
  type Exemplar,
  Gathered,
  mergePoints,
  PointsRead,
  type SeriesIdentity,
  seriesKey,
  type SeriesKind,
  type SeriesPoints,
} from './series.js';
export {
  addPoints,
  addSteps,
  type Aggregate,
  aggregate,
  emptySteps,
  type Stepped,
  type Steps,
  stepsOf,
} from './steps.js';
