import type { BatchResult, ChunkResult } from '@flail/core';
import { merged } from './ingest-pool.js';

const result = (more: Partial<BatchResult>): BatchResult => ({
  accepted: 0,
  malformed: 0,
  format: 'json',
  problems: [],
  ...more,
});

const problem = (code: string, count: number, firstLine: number) =>
  ({ code, count, firstLine }) as BatchResult['problems'][number];

const chunk = (index: number, lines: number): ChunkResult => ({ index, lines, records: lines });

describe('the result of a batch that several workers read', () => {
  it('adds up records and spans', () => {
    expect(
      merged([
        {
          result: result({ accepted: 3, malformed: 1, span: { from: 50, to: 90 } }),
          chunks: [chunk(0, 3)],
        },
        { result: result({ accepted: 2, span: { from: 20, to: 60 } }), chunks: [chunk(1, 2)] },
        { result: result({}), chunks: [] },
      ]),
    ).toEqual({ accepted: 5, malformed: 1, format: 'json', span: { from: 20, to: 90 }, problems: [] });
  });

  it('has no span where nothing was read', () => {
    expect(merged([{ result: result({}), chunks: [] }])).not.toHaveProperty('span');
  });

  it('counts lines of problems through the whole batch', () => {
    // One worker read the first and the third part, the other the second and the fourth.
    const one = {
      result: result({ problems: [problem('not-of-format', 2, 12), problem('no-time', 1, 4)] }),
      chunks: [chunk(0, 10), chunk(2, 10)],
    };
    const other = {
      result: result({ problems: [problem('not-of-format', 5, 3)] }),
      chunks: [chunk(1, 7), chunk(3, 1)],
    };
    for (const parts of [
      [one, other],
      [other, one],
    ]) {
      const { problems } = merged(parts);
      expect(problems.find(({ code }) => code === 'not-of-format')).toEqual(problem('not-of-format', 7, 13));
      expect(problems.find(({ code }) => code === 'no-time')).toEqual(problem('no-time', 1, 4));
    }
  });
});
