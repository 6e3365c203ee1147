import fc from 'fast-check';
import { RE2JS } from 're2js';
import { quickSearchOf } from './quick-search.js';

/** Whether the automata find a pattern in a text; they are the judge here. */
const found = (pattern: string, text: string, ignoreCase = false): boolean =>
  RE2JS.compile(pattern, ignoreCase ? RE2JS.CASE_INSENSITIVE : 0)
    .matcher(text)
    .find();

/** Pieces of which patterns are made: characters, classes, places, and groups of them, each perhaps repeated. */
const character = fc.constantFrom(
  ...[
    'a',
    'b',
    'Z',
    '0',
    '7',
    '_',
    '-',
    ' ',
    ',',
    '/',
    '"',
    '€',
    '😀',
    'é',
    '\\.',
    '\\-',
    '\\/',
    '\\[',
    '\\t',
    '\\n',
  ],
);
const characters = fc.constantFrom(
  ...[
    '.',
    '\\d',
    '\\D',
    '\\w',
    '\\W',
    '\\s',
    '\\S',
    '[ab0]',
    '[^ab]',
    '[a-f0-9]',
    '[\\d_-]',
    '[^\\w ]',
    '[-x]',
    '[😀-😂€]',
    '[\\s.]',
  ],
);
const place = fc.constantFrom('^', '$', '\\b', '\\B');
const repeat = fc.constantFrom('', '', '', '?', '*', '+', '{2}', '{1,3}', '{2,}', '*?', '+?', '??');
const atom = fc.oneof({ weight: 4, arbitrary: character }, { weight: 3, arbitrary: characters });
const sequence = fc
  .array(fc.oneof({ weight: 6, arbitrary: fc.tuple(atom, repeat).map((pair) => pair.join('')) }, place), {
    maxLength: 5,
  })
  .map((all) => all.join(''));
const group = fc
  .tuple(fc.constantFrom('(', '(?:'), fc.array(sequence, { minLength: 1, maxLength: 3 }), repeat)
  .map(([open, all, times]) => `${open}${all.join('|')})${times}`);
const pattern = fc
  .array(fc.oneof(sequence, group), { minLength: 1, maxLength: 3 })
  .map((all) => all.join(''));
const text = fc
  .array(fc.constantFrom(...'aAabBbZz07_- ,/"€😀😁éÉ.[\t\n\u00a0\u2028\rxyzsSſkK\u212a'), { maxLength: 20 })
  .map((all) => all.join(''));

describe('the quick engine', () => {
  it('finds what the automata find', () => {
    let quick = 0;
    fc.assert(
      fc.property(
        pattern,
        fc.array(text, { minLength: 1, maxLength: 8 }),
        fc.boolean(),
        (own, texts, anyCase) => {
          const search = quickSearchOf(own, anyCase);
          if (!search) return;
          quick++;
          for (const one of texts) expect(search.expression.test(one)).toBe(found(own, one, anyCase));
        },
      ),
      { numRuns: 3000 },
    );
    // Many patterns are of its kind.
    expect(quick).toBeGreaterThan(300);
  });

  it('finds what the automata find in any text, whatever characters the pattern has', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'grapheme', maxLength: 6 }),
        fc.string({ unit: 'grapheme' }),
        (own, other) => {
          const search = quickSearchOf(own);
          if (search) expect(search.expression.test(`${other}${own}`)).toBe(found(own, `${other}${own}`));
        },
      ),
      { numRuns: 2000 },
    );
  });

  it.each([
    ...[
      '(a+)+',
      '(a|b)*',
      '(a?){30}',
      '(?i)a',
      '(?P<x>a)',
      'a{,3}',
      'a{',
      'x[]a]',
      '[[:alpha:]]',
      '\\pL',
      '\\Ba',
      '\\x41',
      '\\Qa\\E',
      '\\ ',
      '[\\é]',
    ],
    ...['[b-a]', '[\\W]', '^*', '\\b+', 'a**', '(', 'a)', '[a', '\\', 'a*b*c*d*e*', '(a|b){2}'],
  ])('leaves %s to the automata', (own) => {
    expect(quickSearchOf(own)).toBeUndefined();
  });

  it('is given shorter texts the more ways there are', () => {
    const longest = (own: string): number => quickSearchOf(own)!.longest;
    expect(longest('\\d{3}ms$')).toBe(1_000_000);
    expect(longest('[a-f]+9')).toBe(1000);
    expect(longest('a{1,4}b?c+')).toBe(353);
    expect(longest('\\d+.*\\d')).toBe(100);
    expect(longest('a.*b|c.*d')).toBe(707);
  });
});
