import fc from 'fast-check';
import { Framing, FramingError } from './framing.js';

/** What comes of a stream, cut anywhere. */
function through(stream: Buffer, step: number): string[] {
  const framing = new Framing();
  const messages: Buffer[] = [];
  for (let at = 0; at < stream.length; at += step)
    messages.push(...framing.push(stream.subarray(at, at + step)));
  return [...messages, ...framing.end()].map(String);
}

describe('syslog over TCP', () => {
  it('is cut at lengths and at newlines, wherever the bytes are cut', () => {
    const message = fc
      .string({ minLength: 1, maxLength: 30 })
      .filter((text) => !/[\r\n]/.test(text))
      .map((text) => `<13>${text}`);
    fc.assert(
      fc.property(
        fc.array(fc.tuple(message, fc.boolean()), { maxLength: 8 }),
        fc.integer({ min: 1, max: 40 }),
        (messages, step) => {
          const stream = messages.map(([text, counted]) =>
            counted ? `${Buffer.byteLength(text)} ${text}` : `${text}\n`,
          );
          expect(through(Buffer.from(stream.join('')), step)).toEqual(messages.map(([text]) => text));
        },
      ),
    );
  });

  it('may hold newlines where lengths are given, and end without one where they are not', () => {
    expect(through(Buffer.from('7 <13>a\nb<13>c\r\n<13>d'), 3)).toEqual(['<13>a\nb', '<13>c', '<13>d']);
    expect(through(Buffer.from('99 <13>cut off'), 3)).toEqual([]);
  });

  it.each(['99999999 x', '123456789012', '12x <13>a'])('refuses lengths such as %j', (stream) => {
    expect(() => through(Buffer.from(stream), 64)).toThrow(FramingError);
  });

  it('does not wait for ever for an end', () => {
    const framing = new Framing();
    expect(() => {
      for (let turn = 0; turn < 20; turn++) framing.push(Buffer.alloc(100_000, 'a'));
    }).toThrow(FramingError);
  });
});
