import { parseExpression } from '../query/expression.js';
import { termExpression, termsExpression } from './expression.js';

describe('terms as filters', () => {
  it.each([
    [{ feature: { kind: 'field', name: 'port' }, is: 'in', values: ['a'] }, 'port = a'],
    [
      { feature: { kind: 'field', name: 'port' }, is: 'in', values: ['a', 'b "c"'] },
      'port in (a, "b \\"c\\"")',
    ],
    [
      { feature: { kind: 'field', name: 'depth' }, is: 'range', low: 1.5, high: 3 },
      'depth >= 1.5 and depth < 3',
    ],
    [{ feature: { kind: 'field', name: 'x' }, is: 'absent' }, 'x is absent'],
    [{ feature: { kind: 'pattern', name: 'w', pattern: 'k7f3q' }, is: 'present' }, 'pattern k7f3q'],
    [{ feature: { kind: 'pattern', name: 'w', pattern: 'k7f3q' }, is: 'absent' }, 'not pattern k7f3q'],
    [
      { feature: { kind: 'slot', name: 'w', pattern: 'k7f3q', slot: 2 }, is: 'range', low: 5 },
      'pattern k7f3q and slot.2 >= 5',
    ],
    [
      { feature: { kind: 'field', name: 'service.version', service: 'nest' }, is: 'in', values: ['2'] },
      'service = nest and service.version = 2',
    ],
    [
      {
        feature: { kind: 'field', name: 'request.body.trip.mode', inside: 'request.body' },
        is: 'in',
        values: ['bulk', 'a/b (c)'],
      },
      'request.body ~ /"mode"\\s*:\\s*"?(?:bulk|a\\/b \\(c\\))"?\\s*[,}\\]]/',
    ],
    [
      { feature: { kind: 'field', name: 'body.note', inside: 'body' }, is: 'absent' },
      'not body ~ /"note"\\s*:/',
    ],
  ] as const)('%j', (term, expected) => {
    const told = termExpression(term);
    expect(told).toBe(expected);
    // Whatever it is, the language reads it.
    expect(() => parseExpression(told!)).not.toThrow();
  });

  it('leave out what no record has, and count it', () => {
    const calls = {
      feature: { kind: 'calls', name: 'select', service: 'nest' },
      is: 'range',
      low: 20,
    } as const;
    expect(termExpression(calls)).toBeUndefined();
    const port = { feature: { kind: 'field', name: 'port' }, is: 'present' } as const;
    expect(termsExpression([calls, port])).toEqual({ expression: 'port is present', unsaid: 1 });
    expect(termsExpression([calls])).toEqual({ unsaid: 1 });
    const inside = {
      feature: { kind: 'field', name: 'body.n', inside: 'body' },
      is: 'range',
      low: 5,
    } as const;
    expect(termExpression(inside)).toBeUndefined();
  });
});

describe('a part of JSON as a filter', () => {
  it('finds the values that have it, and no others', () => {
    const told = termExpression({
      feature: { kind: 'field', name: 'body.mode', inside: 'body' },
      is: 'in',
      values: ['bulk'],
    })!;
    const source = told.slice(told.indexOf('/') + 1, told.lastIndexOf('/'));
    const finds = (value: object, spaces?: number): boolean =>
      new RegExp(source).test(JSON.stringify(value, undefined, spaces));
    expect(finds({ mode: 'bulk', n: 1 })).toBe(true);
    expect(finds({ n: 1, deep: { mode: 'bulk' } }, 2)).toBe(true);
    expect(finds({ mode: 'bulky' })).toBe(false);
    expect(finds({ mood: 'bulk' })).toBe(false);
    expect(finds({ n: 'mode', mode: 'single' })).toBe(false);
  });
});
