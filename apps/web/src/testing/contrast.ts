import type { ContrastAnswer, SignatureBody, TermBody } from '@flail/contract';

/** What is asked of a field, unless said otherwise. */
export const term = (feature: Partial<TermBody['feature']>, more: Partial<TermBody>): TermBody => ({
  feature: { kind: 'field', name: 'port', ...feature },
  is: 'in',
  ...more,
});

/** A description that covers nine tenths, and fits one in a hundred of the others. */
export const signature: SignatureBody = {
  terms: [term({}, { values: ['a'] })],
  failing: 90,
  failingAll: 100,
  healthy: 10,
  healthyAll: 900,
  coverage: 0.9,
  coverageIn: [0.82, 0.94],
  purity: 0.9,
  purityIn: [0.82, 0.94],
  p: 1e-9,
  verdict: 'tells them apart',
  check: { failing: 30, failingAll: 33, healthy: 3, healthyAll: 300, verdict: 'confirmed' },
  unsaid: 0,
  firstSeen: '',
  lastSeen: '',
  samples: [],
  counterHealthy: [],
  counterFailing: [],
};
export const contrastAnswer = (more: Partial<ContrastAnswer> = {}): ContrastAnswer => ({
  items: 'requests',
  first: { count: 100, kept: 100, used: 100, outcome: 'failed' },
  second: { count: 900, kept: 900, used: 900 },
  path: [],
  differences: [],
  times: [],
  setAside: [],
  signatures: [signature],
  features: 60,
  tried: 900,
  early: [],
  lacking: [],
  ...more,
});
