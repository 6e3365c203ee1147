export { NoRunEventError, type RunEvent, runEventOf, runOf } from './open-lineage.js';
export { isFinal, type Run, RUN_STATES, type RunState, type RunStep, type RunWorker } from './run.js';
export { type Stuck, stuckRuns } from './stuck.js';
