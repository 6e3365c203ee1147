import fc from 'fast-check';
import { LayoutBook, rebuildText } from '../patterns/layout.js';
import { phraseInLayout } from './phrase.js';

const layoutOf = (text: string) => new LayoutBook().partsOf(text).layout;

describe('whether a layout can hold a phrase', () => {
  it.each([
    ['lease 5 lost', 'lease', 'all'],
    ['lease 5 lost', 'e 12', 'some'],
    ['lease 5 lost', '99', 'some'],
    ['lease 5 lost', '7 lo', 'some'],
    ['lease 5 lost', 'abc', 'none'],
    ['lease 5 lost', 'lease lost', 'none'],
    ['lease 5 lost', '5x', 'none'],
    ['LEASE 5 Lost', 'lost', 'all'],
    ['id 550e8400-e29b-41d4-a716-446655440000', 'deadbeef', 'some'],
    ['id 550e8400-e29b-41d4-a716-446655440000', 'hello', 'none'],
    ['said "any thing"', 'what ever', 'some'],
    ['no slots here', 'slots', 'all'],
    ['no slots here', 'slot machine', 'none'],
    ['a 1\nb', 'anything at all', 'some'],
  ])('%j and %j: %s', (text, phrase, expected) => {
    expect(phraseInLayout(layoutOf(text), phrase)).toBe(expected);
  });

  it('never says none where a text holds it, nor all where one does not', () => {
    const word = fc.constantFrom(
      'lease',
      'lost',
      '12',
      '-4.5',
      '250ms',
      '5%',
      '10kB',
      'deadbeef01',
      '10.1.2.3',
      'nq-03',
      '"a b"',
      '18:00:01',
      'a@b.c',
      '(',
      ',',
    );
    const text = fc.array(word, { minLength: 1, maxLength: 7 }).map((words) => words.join(' '));
    fc.assert(
      fc.property(text, fc.nat(), fc.integer({ min: 1, max: 9 }), (whole, from, length) => {
        const book = new LayoutBook();
        const { layout, values } = book.partsOf(whole);
        const start = from % whole.length;
        const phrase = whole.slice(start, start + length).toLowerCase();
        expect(rebuildText(layout, values).toLowerCase()).toContain(phrase);
        expect(phraseInLayout(layout, phrase)).not.toBe('none');
        const other = phraseInLayout(layout, `${phrase}~~`);
        expect(other).not.toBe('all');
      }),
      { numRuns: 1000 },
    );
  });
});
