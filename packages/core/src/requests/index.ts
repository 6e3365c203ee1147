export { groupedByOperation } from './by-operation.js';
export { type NamedSpread, spreadsOf } from './spreads.js';
export { tallyByField, type ValueTally, worstFirst } from './by-field.js';
export { type Beside, besideRuns, type Ran } from './beside.js';
export { criticalPath, type PathPart } from './critical-path.js';
export {
  type Access,
  entriesOf,
  type Outcome,
  OUTCOMES,
  type Request,
  requestsIn,
  type SegmentEntries,
  tracesOf,
} from './entries.js';
export { type MadeOf, makeUp } from './make-up.js';
export { type OperationFigures, type OperationRow, operationsOf } from './operations.js';
export { failedFirst, type Origin, originsOf } from './origin.js';
export { pageOf, type RequestOrder } from './page.js';
export { fieldReader, SAMPLED_ONE_IN, type Span, type SpanKind, SPAN_OWN, spanReader } from './span.js';
export { type Strip, stripsOf } from './strips.js';
export {
  type Counted,
  counted,
  isSlow,
  operationOf,
  quantiles,
  type RequestTally,
  SLOW_TIMES,
  slowLimits,
  type SlowLimits,
  tallyOf,
} from './tally.js';
export {
  type AccountKind,
  type AccountPart,
  accountSums,
  timeAccount,
  type UsualGaps,
} from './time-account.js';
export { AFTERMATH, toldOf, treesOf } from './traces.js';
export { gapsOf, ownTime, type SpanNode, traceTree, type TraceTree } from './tree.js';
export { type Told, type TwinDifference, twinDifferences, twinOf } from './twin.js';
export { usualGaps } from './usual.js';
export { type WayCall, wayOf } from './way.js';
export { ALL_TRACES, isWithin, requestsWithin, type TraceSet } from './within.js';
