import { spanWith } from './span.js';

describe('the time that the runs of a run are investigated over', () => {
  const span = { from: Date.parse('2026-03-04T18:00:00Z'), to: Date.parse('2026-03-05T18:00:00Z') };

  it('is the one that is looked at where the run lies in it', () => {
    expect(spanWith(span, { from: '2026-03-05T17:00:00Z', to: '2026-03-05T17:01:00Z' })).toBe(span);
    // One that has not ended has begun in it.
    expect(spanWith(span, { from: '2026-03-05T17:59:00Z' })).toBe(span);
  });

  it('is the day up to its end where it lies elsewhere', () => {
    expect(spanWith(span, { from: '2026-03-01T08:48:00Z', to: '2026-03-01T08:48:29Z' })).toEqual({
      from: Date.parse('2026-02-28T08:49:00Z'),
      to: Date.parse('2026-03-01T08:49:00Z'),
    });
  });
});
