import fc from 'fast-check';
import { MemoryStore } from '../testing/memory-store.js';
import { type Condition, parseExpression } from './expression.js';
import { recordsOfPattern } from './pattern-refs.js';
import { evaluate, testOf } from './evaluate.js';

/** Rows that match, as a list of texts, over all segments of a store. */
async function matches(store: MemoryStore, expression: string | Condition): Promise<string[]> {
  const condition = typeof expression === 'string' ? parseExpression(expression) : expression;
  const found: string[] = [];
  for (const view of store.views()) {
    const rows = await evaluate(
      condition,
      view,
      (ref) => recordsOfPattern(store.grouping(), ref) ?? { layouts: new Set() },
    );
    for (let row = 0; row < view.count; row++)
      if (rows === true || (rows !== false && rows[row])) found.push(await view.text(row));
  }
  return found.sort();
}

function storeOf(...objects: object[]): MemoryStore {
  const store = new MemoryStore();
  store.take(objects.map((object) => JSON.stringify(object)).join('\n'));
  return store;
}

describe('evaluation', () => {
  const store = storeOf(
    { msg: 'lease lost for token 17', level: 'warn', service: 'a', took: '250ms', route: '/v1/x/1' },
    { msg: 'lease granted', level: 'info', service: 'b', took: '2s', route: '/v1/y' },
    { msg: 'Lost in space', level: 'ERROR', service: 'a', n: 503, trace_id: 'deadbeef00' },
    { msg: 'plain', n: '12.50', size_bytes: 20_000 },
  );
  it.each([
    ['', 4],
    ['lost', 2],
    ['"lease lost"', 1],
    ['"TOKEN 17"', 1],
    ['"for token 18"', 0],
    ['deadbeef', 1],
    ['level >= warn', 2],
    ['level = error', 1],
    ['level = Error or level = info', 2],
    ['service in (a)', 2],
    ['not service = a', 2],
    ['service != a', 2],
    ['took > 1s', 1],
    ['took <= 250ms', 1],
    ['n = 503', 1],
    ['n >= 12.5 and n < 13', 1],
    ['n is present', 2],
    ['n is absent', 2],
    ['route = "/v1/x/*"', 1],
    ['route = "*y"', 1],
    ['trace = deadbeef00', 1],
    ['size_bytes > 10kB', 1],
    ['text = plain', 1],
    ['source = test', 4],
    ['nowhere = 1', 0],
    ['service = test', 1],
  ])('%s matches %i', async (expression, count) => {
    expect(await matches(store, expression)).toHaveLength(count);
  });

  it('finds records of a pattern', async () => {
    const [view] = store.views();
    const id = store.grouping().patterns.idOf(view!.summary.layouts[(await view!.layouts())[0]!]!);
    expect(await matches(store, `pattern ${id}`)).toHaveLength(1);
    expect(await matches(store, `not pattern ${id}`)).toHaveLength(3);
  });

  it('uses what the sender declared where the line says nothing', async () => {
    const declared = new MemoryStore();
    declared.take('{"msg":"a","host":"own"}\n{"msg":"b"}', { attributes: { host: 'declared' } });
    expect(await matches(declared, 'host = declared')).toEqual(['b']);
    expect(await matches(declared, 'host = own')).toEqual(['a']);
    expect(await matches(declared, 'host is present')).toHaveLength(2);
  });

  it('takes granted services as they are written', async () => {
    expect(await matches(store, { kind: 'in', field: 'service', values: ['*'], literal: true })).toEqual([]);
    expect(await matches(store, { kind: 'in', field: 'service', values: ['b'], literal: true })).toEqual([
      'lease granted',
    ]);
  });

  it('finds a phrase exactly where plain search over text and fields does', async () => {
    const words = fc.constantFrom(
      'lease',
      'lost',
      '12',
      '250ms',
      'deadbeef01',
      'nq-03',
      '10.0.0.1',
      '"q r"',
      '/v1/7',
      'x=5',
      'é',
      ',',
    );
    const text = fc.array(words, { minLength: 1, maxLength: 6 }).map((pieces) => pieces.join(' '));
    await fc.assert(
      fc.asyncProperty(
        fc.array(text, { minLength: 1, maxLength: 20 }),
        text,
        fc.nat(30),
        fc.integer({ min: 1, max: 12 }),
        async (texts, other, from, length) => {
          // A phrase cut out of a text crosses constants and values at any place.
          const phrase = [...(texts[0]! + other)].slice(from % 20, (from % 20) + length).join('');
          if (phrase.trim() === '') return;
          const own = storeOf(...texts.map((msg, index) => ({ msg, field: `f${index}` })));
          const expected = texts.filter((msg, index) =>
            [msg, `f${index}`, 'test'].some((value) => value.toLowerCase().includes(phrase.toLowerCase())),
          );
          expect(await matches(own, { kind: 'text', phrase })).toEqual(expected.sort());
        },
      ),
      { numRuns: 300 },
    );
  });

  it.each([
    ['took_ms', '', 1],
    ['took', 'ms', 1],
    ['took', 's', 1000],
  ])('compares columns of numbers as their values: %s in "%s"', async (field, unit, factor) => {
    // Different enough to be kept as numbers; a tenth each, told in tenths so that nothing is rounded.
    const tenths = Array.from({ length: 600 }, (_, at) => ((at * 7919) % 6001) - 500);
    const texts = tenths.map((tenth) => `${(tenth / 10).toFixed(1)}${unit}`);
    const own = storeOf(...texts.map((value, at) => ({ msg: `m${at}`, [field]: value })));
    const column = (await own.views()[0]!.field(field))!.column;
    expect(column.scaled).toBeDefined();
    const wanted = field === 'took_ms' ? '' : 'ms';
    for (const half of [-300, 0, 2500.5, 5500]) {
      const limit = `${(half * factor) / 10}${wanted}`;
      const over = tenths.filter((tenth) => tenth > half).length;
      const equal = tenths.filter((tenth) => tenth === half).length;
      expect(await matches(own, `${field} > ${limit}`)).toHaveLength(over);
      expect(await matches(own, `${field} >= ${limit}`)).toHaveLength(over + equal);
      expect(await matches(own, `${field} = ${limit}`)).toHaveLength(equal);
      expect(await matches(own, `${field} != ${limit}`)).toHaveLength(tenths.length - equal);
    }
    // What measures something else is never more or less.
    expect(await matches(own, `${field} > 1B`)).toHaveLength(0);
  });

  it('agrees with a plain evaluation of any condition over any records', async () => {
    const record = fc.record(
      {
        msg: fc.constantFrom('a 1', 'b 2', 'a b'),
        level: fc.constantFrom('info', 'warn', 'error'),
        n: fc.integer({ min: -3, max: 3 }),
        tag: fc.constantFrom('x', 'y', 'xy'),
      },
      { requiredKeys: ['msg', 'level'] },
    );
    type Plain = { msg: string; level: string; n?: number; tag?: string };
    const LEVELS = ['info', 'warn', 'error'];
    const leaf = fc.oneof(
      fc.tuple(
        fc.constant('n'),
        fc.constantFrom('<', '<=', '=', '!=', '>', '>='),
        fc.integer({ min: -3, max: 3 }),
      ),
      fc.tuple(fc.constant('tag'), fc.constantFrom('=', '!='), fc.constantFrom('x', 'x*', 'q')),
      fc.tuple(fc.constant('level'), fc.constantFrom('<', '>=', '='), fc.constantFrom(...LEVELS)),
    );
    const order = (a: number, operator: string, b: number): boolean =>
      ({ '<': a < b, '<=': a <= b, '=': a === b, '!=': a !== b, '>': a > b, '>=': a >= b })[operator]!;
    const plainLeaf = (
      [field, operator, value]: readonly [string, string, string | number],
      record: Plain,
    ): boolean => {
      if (field === 'level')
        return order(LEVELS.indexOf(record.level), operator, LEVELS.indexOf(value as string));
      if (field === 'tag') {
        const equal =
          record.tag !== undefined && (value === 'x*' ? record.tag.startsWith('x') : record.tag === value);
        return operator === '=' ? equal : !equal;
      }
      if (record.n === undefined) return operator === '!=';
      return order(record.n, operator, value as number);
    };
    interface Tree {
      text: string;
      holds: (record: Plain) => boolean;
    }
    const tree = fc.letrec<{ node: Tree }>((tie) => ({
      node: fc.oneof(
        { maxDepth: 3 },
        leaf.map((parts): Tree => ({
          text: `${parts[0]} ${parts[1]} ${parts[2]}`,
          holds: (one) => plainLeaf(parts, one),
        })),
        fc.tuple(tie('node'), tie('node')).map(([a, b]): Tree => ({
          text: `(${a.text} and ${b.text})`,
          holds: (one) => a.holds(one) && b.holds(one),
        })),
        fc.tuple(tie('node'), tie('node')).map(([a, b]): Tree => ({
          text: `(${a.text} or ${b.text})`,
          holds: (one) => a.holds(one) || b.holds(one),
        })),
        tie('node').map((a): Tree => ({ text: `not ${a.text}`, holds: (one) => !a.holds(one) })),
      ),
    })).node;
    await fc.assert(
      fc.asyncProperty(
        fc.array(record, { minLength: 1, maxLength: 30 }),
        tree,
        async (records, { text, holds }) => {
          const expected = records.filter((one) => holds(one)).map(({ msg }) => msg);
          expect(await matches(storeOf(...records), text)).toEqual(expected.sort());
        },
      ),
      { numRuns: 200 },
    );
  });
});

describe('comparing values', () => {
  it('knows units, and those that a field name gives', () => {
    expect(testOf('took', '>', '1s')('1500ms')).toBe(true);
    expect(testOf('took', '>', '1s')('900ms')).toBe(false);
    expect(testOf('took_ms', '>', '1s')('1500')).toBe(true);
    expect(testOf('took', '>', '1s')('1500')).toBe(false);
    expect(testOf('share', '>=', '5%')('0.05')).toBe(true);
    expect(testOf('size', '=', '1MB')('1000kB')).toBe(true);
  });

  it('matches wildcards without going back, even on hostile ones', () => {
    const hostile = testOf('x', '=', `${'a*'.repeat(2000)}b`);
    expect(hostile('a'.repeat(20_000))).toBe(false);
    expect(testOf('x', '=', 'a*b*c')('a1b2c')).toBe(true);
    expect(testOf('x', '=', 'ab*ba')('aba')).toBe(false);
  });
});
