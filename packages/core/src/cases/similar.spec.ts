import { similarCases } from './similar.js';

describe('similar past cases', () => {
  const own = { id: 1, terms: ['line lease lost'], words: ['nest', 'store', 'lease_time'] };

  it('share what their signatures ask, the likest first', () => {
    const found = similarCases(own, [
      own,
      { id: 2, terms: ['port is a'], words: ['export'] },
      { id: 3, terms: ['line Lease lost'], words: ['nest'] },
      { id: 4, terms: [], words: ['store', 'nest', 'other', 'more'] },
    ]);
    expect(found.map(({ id }) => id)).toEqual([3, 4]);
    expect(found[0]).toMatchObject({ likeness: 4 / 6, shared: ['nest', 'line lease lost'] });
  });

  it('are none where nothing is known', () => {
    expect(similarCases({ id: 1, terms: [], words: [] }, [{ id: 2, terms: [], words: [] }])).toEqual([]);
  });
});
