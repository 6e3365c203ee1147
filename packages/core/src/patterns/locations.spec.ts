import fc from 'fast-check';
import { encodeUtf8 } from '../codec/bytes.js';
import { dateEnd } from './dates.js';
import { LayoutBook } from './layout.js';

const shapeOf = (text: string): string => {
  const { literals, types } = new LayoutBook().partsOf(text).layout;
  return literals.map((literal, at) => (at < types.length ? `${literal}<${types[at]!}>` : literal)).join('');
};

describe('places in the source', () => {
  it.each([
    ['gate.c:42 opened 7 doors', 'gate.c:42 opened <n> doors'],
    ['mod_gate.c(815): door 4', 'mod_gate.c(815): door <n>'],
    ['../../lib/gate/door.c:17(main) run 3', '../../lib/gate/door.c:17(main) run <n>'],
    ['/srv/app/main.go:12:7 failed 3 times', '/srv/app/main.go:12:7 failed <n> times'],
    ['[main:GateKeeper@1158] - 4 doors', '[main:GateKeeper@1158] - <n> doors'],
  ])('are no values in "%s"', (text, expected) => {
    expect(shapeOf(text)).toBe(expected);
  });

  it.each([
    ['mail to bob@42.example', 'mail to <e>'],
    ['open host.example:443', 'open <k>:<n>'],
    ['see /etc/gate.conf:12', 'see <f>'],
    ['took page.html:3', 'took <k>:<n>'],
  ])('are not seen in "%s"', (text, expected) => {
    expect(shapeOf(text)).toBe(expected);
  });

  it('give back every text that holds one, and its values', () => {
    const word = fc.constantFrom(
      'gate',
      'a.c:7',
      'b.go:12:3',
      'Door@9',
      '/x/y.py:4',
      'c.rs(8)',
      '12',
      'x=4',
      '\n',
      'Nov 30',
    );
    fc.assert(
      fc.property(fc.array(word, { maxLength: 8 }), (words) => {
        const text = words.join(' ');
        const { layout, values } = new LayoutBook().partsOf(text);
        const again = layout.literals.map((literal, at) => literal + (values[at] ?? '')).join('');
        expect(again).toBe(text);
      }),
    );
  });
});

describe('the failure that a second line names', () => {
  it.each([
    ['work died\njava.io.IOException: gone\n\tat x', 'work died\njava.io.IOException<r>'],
    ['work died\nCaused by: GateError: gone', 'work died\nCaused by: GateError<r>'],
    ['work died\n  at gate', 'work died\n<r>'],
  ])('is part of what is said in "%s"', (text, expected) => {
    expect(shapeOf(text)).toBe(expected);
  });
});

describe('dates with the name of a month', () => {
  it.each([
    'Mon Nov 30 13:27:26.473516 2026',
    'Nov 30 13:27:26',
    'Nov  3',
    '30 Nov 2026 13:27:26.473',
    '30/Nov/2026:13:27:26 +0000',
    '30-Nov-2026 13:27:26',
    'Mon, 30 Nov 2026 13:27:26 GMT',
  ])('are found whole: %s', (date) => {
    const bytes = encodeUtf8(`${date}, then`);
    expect(dateEnd(bytes, 0, bytes.length)).toBe(date.length);
    expect(shapeOf(`on ${date} it went`)).toBe('on <t> it went');
  });

  it.each(['May I come', 'Sun shines', 'Marble 30', '3 May be', '30 Novices', 'Nov', '2 Dec'])(
    'are not found in "%s"',
    (text) => {
      const bytes = encodeUtf8(text);
      expect(dateEnd(bytes, 0, bytes.length)).toBe(0);
    },
  );
});
