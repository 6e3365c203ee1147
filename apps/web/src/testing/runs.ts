import type { RunBody } from '@flail/contract';

/** A run as the server tells it, for tests: only what matters has to be said. */
export const runBody = (more: Partial<RunBody> = {}): RunBody => ({
  id: 'r',
  namespace: 'nest',
  job: 'export',
  state: 'done',
  states: [],
  from: '2026-03-02T18:00:00Z',
  to: '2026-03-02T18:00:20Z',
  parameters: {},
  steps: [],
  workers: [],
  usage: {},
  inputs: [],
  outputs: [],
  entity: {},
  ...more,
});
