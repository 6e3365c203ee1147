import { sampleFirst } from './sample-first.js';

describe('a sample first', () => {
  const all = (length: number): number[] => Array.from({ length }, (_, at) => at);

  it('keeps all of them, each once', () => {
    for (const length of [0, 1, 15, 16, 17, 31, 160]) {
      const sampled = sampleFirst(all(length));
      expect([...sampled].sort((a, b) => a - b)).toEqual(all(length));
    }
  });

  it('begins with some that are spread evenly, and goes on in order', () => {
    const sampled = sampleFirst(all(160));
    expect(sampled.slice(0, 7)).toEqual([40, 120, 80, 20, 60, 100, 140]);
    expect(sampled.slice(0, 15).sort((a, b) => a - b)).toEqual(all(15).map((at) => 10 * (at + 1)));
    const rest = sampled.slice(15);
    expect(rest).toEqual([...rest].sort((a, b) => a - b));
  });
});
