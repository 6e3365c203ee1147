import fc from 'fast-check';
import { ExpressionError, parseExpression } from './expression.js';
import { literalsOf, matcherOf } from './regex.js';

describe('regular expressions', () => {
  it.each([
    ['token \\d+ rejected', ['token ', ' rejected']],
    ['abc', ['abc']],
    ['ab?cdef', ['cdef']],
    ['abc+def', ['abc', 'def']],
    ['abc|def', []],
    ['(abc|def)ghi', ['ghi']],
    ['[abc]defg', ['defg']],
    ['a{2}bcd', ['bcd']],
    ['key\\.name', ['key.name']],
    ['(?i)abc', []],
    ['😀*abc', ['abc']],
    ['x[]abc]yyy', ['yyy']],
  ])('%s needs %j', (pattern, literals) => {
    expect(literalsOf(pattern)).toEqual(literals);
  });

  it('hold their literals in everything they match', () => {
    const piece = fc.constantFrom(
      'abc',
      'x?',
      'yz*',
      'd+',
      '[ef]',
      '(gh|i)',
      '.',
      '\\d',
      'jkl',
      'm{1,2}',
      '\\.',
    );
    fc.assert(
      fc.property(
        fc.array(piece, { maxLength: 6 }),
        fc.stringMatching(/^[a-mxyz0-3.]{0,30}$/),
        (pieces, text) => {
          const pattern = pieces.join('');
          const matcher = matcherOf(pattern, false);
          // The language's own engine is the judge here.
          expect(matcher.matches(text)).toBe(new RegExp(pattern).test(text));
          if (matcher.matches(text)) for (const literal of matcher.literals) expect(text).toContain(literal);
        },
      ),
      { numRuns: 500 },
    );
  });

  it('take a time that grows with the text only', () => {
    // An engine that goes back would try 2^40 ways.
    expect(matcherOf('(a+)+$', false).matches(`${'a'.repeat(40)}b`)).toBe(false);
    expect(matcherOf('(x+x+)+y', false).matches('x'.repeat(5000))).toBe(false);
  });

  it('are read between slashes or quotes, and refused where they are wrong', () => {
    expect(parseExpression('text ~ /a\\/b/i')).toEqual({
      kind: 'match',
      field: 'text',
      pattern: 'a/b',
      ignoreCase: true,
    });
    expect(parseExpression('route !~ "^x"')).toEqual({
      kind: 'not',
      term: { kind: 'match', field: 'route', pattern: '^x', ignoreCase: false },
    });
    for (const wrong of ['text ~ /(/', 'text ~ /(?=a)/', 'text ~ /(a)\\1/', `text ~ /${'a'.repeat(2000)}/`]) {
      expect(() => parseExpression(wrong)).toThrow(ExpressionError);
    }
    expect(() => parseExpression('text ~ abc')).toThrow('Expected a regular expression');
  });
});
