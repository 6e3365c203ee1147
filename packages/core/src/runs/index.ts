export { NoRunEventError, type RunEvent, runEventOf, runOf } from './open-lineage.js';
export { isFinal, type Run, RUN_STATES, type RunState, type RunStep, type RunWorker } from './run.js';
export { type Stuck, stuckRuns } from './stuck.js';
export { type RunPart, runAccount } from './account.js';
export { lastGood, type RunDifference, runDifferences } from './last-good.js';
export { type JobTally, type Stroke, tallyOf, type TallyLine, tellingParameter, wentWrong } from './tally.js';
export { wrongByStep, type WrongOf, wrongSince, type WrongSince } from './wrong-since.js';
