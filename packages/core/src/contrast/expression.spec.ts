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
  });
});
