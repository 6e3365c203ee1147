import type { Request } from '../requests/entries.js';
import { ARRIVAL } from './memory-store.js';

/** A request for tests: only what matters has to be said. */
export const request = (more: Partial<Request> = {}): Request => ({
  trace: 't',
  first: true,
  segment: '0',
  row: 0,
  at: ARRIVAL,
  seconds: 0.1,
  outcome: 'ok',
  status: 200,
  service: 'edge',
  name: 'GET /nests',
  access: 'read',
  weight: 1,
  ...more,
});
