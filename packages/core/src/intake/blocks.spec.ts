import fc from 'fast-check';
import { BlockCutter } from './blocks.js';

const text = (blocks: readonly Uint8Array[]): string[] =>
  blocks.map((block) => Buffer.from(block).toString());

function cut(input: string, pieces: readonly number[], size: number, most: number): string[] {
  const cutter = new BlockCutter(size, most);
  const bytes = Buffer.from(input);
  const blocks: Uint8Array[] = [];
  let at = 0;
  for (const piece of [...pieces, bytes.length]) {
    blocks.push(...cutter.push(bytes.subarray(at, Math.min(bytes.length, at + piece))));
    at = Math.min(bytes.length, at + piece);
  }
  const rest = cutter.rest();
  return text(rest ? [...blocks, rest] : blocks);
}

describe('blocks', () => {
  it('end before a line that opens an object', () => {
    expect(cut('{"a":1}\n{"a":2}\n  at x\n{"a":3}\n', [], 10, 1000)).toEqual([
      '{"a":1}\n{"a":2}\n  at x\n',
      '{"a":3}\n',
    ]);
  });

  it('end at any line when no object opens for very long', () => {
    expect(cut('{"a":1}\nx\ny\nz\nx\ny\nz\n', [], 8, 16)).toEqual(['{"a":1}\nx\n', 'y\nz\nx\ny\nz\n']);
  });

  it('are the same however the stream comes in pieces, and give it back', () => {
    const line = fc.constantFrom('{"a":1}', '{"b":"xyz"}', ' at f', '', 'plain');
    fc.assert(
      fc.property(
        fc.array(line, { maxLength: 60 }),
        fc.array(fc.integer({ min: 1, max: 40 }), { maxLength: 60 }),
        fc.integer({ min: 5, max: 60 }),
        (lines, pieces, size) => {
          const input = lines.join('\n');
          const whole = cut(input, [], size, size * 4);
          expect(whole.join('')).toBe(input);
          expect(cut(input, pieces, size, size * 4)).toEqual(whole);
        },
      ),
      { numRuns: 2000 },
    );
  });
});
