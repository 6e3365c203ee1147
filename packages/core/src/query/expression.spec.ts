import fc from 'fast-check';
import {
  checkExpression,
  type Condition,
  narrow,
  parseExpression,
  parseQuery,
  quoteValue,
} from './expression.js';
import type { Step } from './steps.js';

describe('the expression', () => {
  it.each<[string, Condition]>([
    ['', { kind: 'all' }],
    ['lease', { kind: 'text', phrase: 'lease' }],
    ['"lease \\"lost\\""', { kind: 'text', phrase: 'lease "lost"' }],
    ['level >= warn', { kind: 'compare', field: 'level', operator: '>=', value: 'warn' }],
    ['service.name=x', { kind: 'compare', field: 'service', operator: '=', value: 'x' }],
    ['route = "/v1/a b/*"', { kind: 'compare', field: 'route', operator: '=', value: '/v1/a b/*' }],
    ['duration > 250ms', { kind: 'compare', field: 'duration', operator: '>', value: '250ms' }],
    ['service in (a, "b c")', { kind: 'in', field: 'service', values: ['a', 'b c'] }],
    ['error.type is absent', { kind: 'presence', field: 'error.type', present: false }],
    ['pattern k7f3q', { kind: 'pattern', ref: 'k7f3q' }],
    ['not a', { kind: 'not', term: { kind: 'text', phrase: 'a' } }],
    [
      'a b',
      {
        kind: 'and',
        terms: [
          { kind: 'text', phrase: 'a' },
          { kind: 'text', phrase: 'b' },
        ],
      },
    ],
    [
      'a and b or not (c OR d)',
      {
        kind: 'or',
        terms: [
          {
            kind: 'and',
            terms: [
              { kind: 'text', phrase: 'a' },
              { kind: 'text', phrase: 'b' },
            ],
          },
          {
            kind: 'not',
            term: {
              kind: 'or',
              terms: [
                { kind: 'text', phrase: 'c' },
                { kind: 'text', phrase: 'd' },
              ],
            },
          },
        ],
      },
    ],
  ])('reads %s', (text, condition) => {
    expect(parseExpression(text)).toEqual(condition);
  });

  it.each([
    ['level >=', 8, 'Expected a value after >='],
    ['level >= and x', 9, 'Expected a value after >='],
    ['level = error and', 17, 'Expected a condition after and'],
    ['(a or b', 7, 'Expected a closing )'],
    ['a)', 1, 'This ) has no ( before it'],
    ['service in a', 11, 'Expected a list in parentheses'],
    ['service in (a b)', 14, 'Expected a comma or )'],
    ['service in (a,', 14, 'Expected a value of the list'],
    ['x is here', 5, 'Expected present or absent'],
    ['"open', 0, 'A closing quote was expected'],
    ['= 5', 0, 'Expected a condition'],
    ['a then count by b', 2, 'Steps after "then"'],
    ['pattern', 7, 'Expected the id of a pattern'],
    ['not', 3, 'Expected a condition after not'],
  ])('says of %s what is wrong at %i', (text, from, message) => {
    const problem = checkExpression(text);
    expect(problem?.message).toContain(message);
    expect(problem?.from).toBe(from);
  });

  it('either reads or refuses any text, and never fails otherwise', () => {
    const piece = fc.constantFrom(
      'and',
      'or',
      'not',
      'in',
      'is',
      '(',
      ')',
      ',',
      '=',
      '!=',
      '<',
      '~',
      '"',
      '"a b"',
      'x',
      'level',
      '5ms',
      'then',
      'present',
    );
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.array(piece).map((pieces) => pieces.join(' ')),
        ),
        (text) => {
          const problem = checkExpression(text);
          if (problem) {
            expect(problem.message.length).toBeGreaterThan(10);
            expect(problem.from).toBeLessThanOrEqual(problem.to);
          } else expect(parseExpression(text).kind).toBeTruthy();
        },
      ),
    );
  });

  it('reads any value back that it has quoted', () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1 }), (value) => {
        expect(parseExpression(`field = ${quoteValue(value)}`)).toEqual({
          kind: 'compare',
          field: 'field',
          operator: '=',
          value,
        });
      }),
    );
  });
});

describe('narrowing', () => {
  it('adds a condition once, and turns it round', () => {
    expect(narrow('', 'pattern a')).toBe('pattern a');
    expect(narrow('level = error', 'pattern a')).toBe('level = error and pattern a');
    expect(narrow('level = error and pattern a', 'pattern a')).toBe('level = error and pattern a');
    expect(narrow('pattern a', 'pattern a', true)).toBe('not pattern a');
    expect(narrow('not pattern a and x', 'pattern a')).toBe('x and pattern a');
  });

  it('keeps what it narrows together', () => {
    expect(narrow('a or b', 'pattern c')).toBe('(a or b) and pattern c');
    expect(parseExpression(narrow('a or b', 'pattern c', true)).kind).toBe('and');
  });
});

describe('steps', () => {
  it.each<[string, Step[]]>([
    ['then count', [{ kind: 'summary', measures: [{ name: 'count', column: 'count' }], by: [] }]],
    [
      'level = error then count, p95(duration) as slow by instance, hour(time) every 1m',
      [
        {
          kind: 'summary',
          measures: [
            { name: 'count', column: 'count' },
            { name: 'percentile', percent: 95, of: { field: 'duration' }, column: 'slow' },
          ],
          by: [{ field: 'instance' }, { field: 'time', call: 'hour' }],
          every: 60_000_000,
        },
      ],
    ],
    [
      'then share by service.name then where share > 5% and not service in (a, b) then sort share asc, service then top 10 by share',
      [
        { kind: 'summary', measures: [{ name: 'share', column: 'share' }], by: [{ field: 'service' }] },
        {
          kind: 'where',
          condition: {
            kind: 'and',
            terms: [
              { kind: 'compare', column: 'share', operator: '>', value: '5%' },
              { kind: 'not', term: { kind: 'in', column: 'service', values: ['a', 'b'] } },
            ],
          },
        },
        {
          kind: 'sort',
          keys: [
            { column: 'share', descending: false },
            { column: 'service', descending: true },
          ],
        },
        { kind: 'top', count: 10, by: 'share' },
      ],
    ],
  ])('reads %s', (text, steps) => {
    expect(parseQuery(text).steps).toEqual(steps);
  });

  it('leaves the words of steps to the filter', () => {
    expect(parseQuery('by top where then count').filter).toEqual({
      kind: 'and',
      terms: ['by', 'top', 'where'].map((phrase) => ({ kind: 'text', phrase })),
    });
    expect(parseQuery('a b').steps).toEqual([]);
  });

  it.each([
    ['then', 4, 'Expected a step after then'],
    ['then cuont', 5, 'There is no step or measure "cuont"'],
    ['then p95', 5, 'Expected a field in parentheses after p95'],
    ['then count(x)', 11, 'takes no field'],
    ['then count by', 13, 'Expected a field or column after by'],
    ['then count every 5', 17, 'Expected a length of time'],
    ['then top x', 9, 'Expected a whole number'],
    ['then count by day(time)', 14, 'There is no value "day(…)"'],
    ['then count by hour(duration)', 14, 'worked out from time'],
    ['then count then where lease', 22, 'columns of the summary'],
  ])('says what is wrong with %s', (text, from, message) => {
    const problem = checkExpression(text, true);
    expect(problem?.message).toContain(message);
    expect(problem?.from).toBe(from);
  });

  it.each([
    [Array.from({ length: 1200 }, (_, index) => `a = ${index}`).join(' or '), '200 conditions at most'],
    [Array.from({ length: 1200 }, (_, index) => `w${index}`).join(' and '), '200 conditions at most'],
    [Array.from({ length: 1200 }, (_, index) => `w${index}`).join(' '), '200 conditions at most'],
    [`${'('.repeat(9000)}a = 1${')'.repeat(9000)}`, '100 deep'],
    [`${'not '.repeat(9000)}a = 1`, '100 deep'],
    ['('.repeat(9000), '100 deep'],
  ])('tells the limit that an expression goes beyond', (expression, message) => {
    expect(checkExpression(expression)?.message).toContain(message);
  });

  it('has room for what is below the limits, whatever stands in quotes', () => {
    const many = Array.from({ length: 200 }, (_, index) => `a = "and (or ${index}"`).join(' or ');
    expect(checkExpression(many)).toBeUndefined();
    expect(checkExpression(`${'('.repeat(100)}a = 1${')'.repeat(100)}`)).toBeUndefined();
    expect(checkExpression(`${'not '.repeat(100)}a = 1`)).toBeUndefined();
    expect(checkExpression(Array.from({ length: 200 }, () => '(not a = 1)').join(' and '))).toBeUndefined();
    expect(
      checkExpression(`a in (${Array.from({ length: 5000 }, (_, index) => index).join(', ')})`),
    ).toBeUndefined();
  });
});
