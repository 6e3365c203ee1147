import fc from 'fast-check';
import { Framing, isTls, LARGEST } from './framing.js';

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
    expect(through(Buffer.from('99 <13>cut off'), 3)).toEqual(['99 <13>cut off']);
  });

  it.each(['99999999 x', '123456789012', '12x <13>a', '12 apples', '2026-12-01T10:00:00Z a line'])(
    'takes %j for a line, not for a length',
    (stream) => {
      expect(through(Buffer.from(`${stream}\n<13>b\n`), 3)).toEqual([stream, '<13>b']);
    },
  );

  it('loses no byte of anything, however it is cut', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 60 }), fc.integer({ min: 1, max: 20 }), (bytes, step) => {
        const framing = new Framing();
        const messages: Buffer[] = [];
        for (let at = 0; at < bytes.length; at += step)
          messages.push(...framing.push(Buffer.from(bytes.subarray(at, at + step))));
        messages.push(...framing.end());
        // Only what parts messages is left out: ends of lines, and lengths that fit.
        const kept = Buffer.concat(messages).filter((byte) => byte !== 10 && byte !== 13);
        const came = Buffer.from(bytes).filter((byte) => byte !== 10 && byte !== 13);
        if (!/\d <|^0/.test(Buffer.from(bytes).toString('latin1'))) expect(kept).toEqual(came);
        else expect(kept.length).toBeLessThanOrEqual(came.length);
      }),
    );
  });

  it('cuts what has no end', () => {
    const framing = new Framing();
    const messages: Buffer[] = [];
    for (let turn = 0; turn < 25; turn++) messages.push(...framing.push(Buffer.alloc(100_000, 'a')));
    expect(messages.map(({ length }) => length)).toEqual([LARGEST, LARGEST]);
    expect(framing.cut).toBe(2);
    expect(framing.end()[0]).toHaveLength(2_500_000 - 2 * LARGEST);
  });

  it('knows the beginning of TLS', () => {
    expect(isTls(Uint8Array.of(0x16, 0x03, 0x01, 0x02, 0x00))).toBe(true);
    expect(isTls(Buffer.from('<13>a'))).toBe(false);
  });
});
