import type { Run } from '../runs/run.js';

/** A run for tests: only what matters has to be said. */
export const runOf = (more: Partial<Run>): Run => ({
  id: 'r',
  namespace: 'nest',
  job: 'hatch',
  state: 'done',
  states: [],
  from: 0,
  parameters: {},
  steps: [],
  workers: [],
  usage: {},
  inputs: [],
  outputs: [],
  entity: {},
  ...more,
});
