import { windowBody, windowOf } from './moments.js';

it('windows come back as they were, and faults are told', () => {
  const body = { from: '2026-03-02T18:00:00.000001Z', to: '2026-03-02T18:00:00.000002Z' };
  expect(windowBody(windowOf(body, 'window'))).toEqual(body);
  expect(() => windowOf({ from: body.from, to: body.from }, 'baseline')).toThrow('The baseline ends');
  expect(() => windowOf({ from: 'x', to: body.from }, 'window')).toThrow('window.from is not a moment');
});
