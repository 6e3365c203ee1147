import fc from 'fast-check';
import { carriedLine, carriedRecord } from './carried.js';

const bytesOf = (text: string): Uint8Array => new TextEncoder().encode(text);

describe('carried records', () => {
  it('come back byte for byte, whatever the bytes', () => {
    fc.assert(
      fc.property(
        fc.uint8Array({ maxLength: 200 }),
        fc.nat(1000),
        fc.integer({ min: 0, max: 4e15 }),
        (line, sender, micros) => {
          const text = carriedLine(sender, micros, line);
          expect(text.endsWith('\n')).toBe(true);
          expect(text.slice(0, -1)).not.toContain('\n');
          const back = carriedRecord(text)!;
          expect([back.sender, back.micros]).toEqual([sender, micros]);
          expect(Buffer.from(back.line).equals(Buffer.from(line))).toBe(true);
        },
      ),
    );
  });

  it('are plain JSON where the line is text', () => {
    const text = carriedLine(2, 1_772_474_400_000_001, bytesOf('two\nlines "quoted"'));
    expect(JSON.parse(text)).toEqual({
      sender: 2,
      time: '2026-03-02T18:00:00.000001Z',
      line: 'two\nlines "quoted"',
    });
    expect(carriedLine(2, 1_772_474_400_000_001, 'two\nlines "quoted"')).toBe(text);
  });

  it.each([
    '',
    '[]',
    '{',
    '{"sender":0}',
    '{"sender":"0","time":"2026-03-02T18:00:00Z","line":"x"}',
    '{"sender":0,"time":"then","line":"x"}',
    '{"sender":0,"time":"2026-03-02T18:00:00Z"}',
  ])('%s carries none', (text) => expect(carriedRecord(text)).toBeUndefined());
});
