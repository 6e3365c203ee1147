import type { Span } from '../requests/span.js';

/** A span for tests: only what matters has to be said. */
export const span = (
  id: string,
  parent: string,
  from: number,
  to: number,
  more: Partial<Span> = {},
): Span => ({
  trace: 't',
  id,
  parent,
  service: 'gull',
  name: 'fly',
  kind: 'server',
  from,
  to,
  failed: false,
  peer: '',
  weight: 1,
  sender: {},
  message: '',
  segment: '0',
  row: 0,
  ...more,
});
