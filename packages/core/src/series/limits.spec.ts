import { limitedBy, limitNames } from './limits.js';

describe('limits of metrics', () => {
  it('are named as what they limit, or as its group', () => {
    expect(limitNames('pool.open')).toEqual(['pool.open.limit', 'pool.limit']);
    expect(limitNames('queue')).toEqual(['queue.limit']);
    expect(limitedBy('pool.limit')).toBe('pool');
  });

  it('have none themselves, and are no part of a name', () => {
    expect(limitNames('pool.limit')).toEqual([]);
    expect(limitedBy('pool.limits')).toBeUndefined();
    expect(limitedBy('rate_limit')).toBeUndefined();
  });
});
