import fc from 'fast-check';
import { criticalPath } from './critical-path.js';
import { span } from '../testing/spans.js';
import { operationOf } from './tally.js';
import { accountSums, timeAccount } from './time-account.js';
import { gapsOf, ownTime, traceTree } from './tree.js';
import { usualGaps } from './usual.js';

describe('a trace as a tree', () => {
  it('stands in the order of time below its first span', () => {
    const tree = traceTree([
      span('c', 'a', 60, 90),
      span('a', '', 0, 100),
      span('d', 'b', 12, 20),
      span('b', 'a', 10, 50),
    ])!;
    expect(tree.nodes.map(({ span: { id }, depth }) => [id, depth])).toEqual([
      ['a', 0],
      ['b', 1],
      ['d', 2],
      ['c', 1],
    ]);
    expect(ownTime(tree.root)).toBe(30);
    expect(gapsOf(tree.root)).toEqual([
      [0, 10],
      [50, 60],
      [90, 100],
    ]);
    expect(traceTree([])).toBeUndefined();
  });

  it('takes spans without a recorded parent below the first, and says so', () => {
    const tree = traceTree([span('a', '', 0, 100), span('b', 'lost', 10, 50), span('c', 'b', 20, 30)])!;
    expect(tree.orphans).toBe(1);
    expect(tree.nodes.map(({ span: { id }, depth }) => [id, depth])).toEqual([
      ['a', 0],
      ['b', 1],
      ['c', 2],
    ]);
  });

  it('begins with the earliest where the first was never recorded', () => {
    const tree = traceTree([span('b', 'lost', 10, 50), span('c', 'lost', 5, 60)])!;
    expect(tree.root.span.id).toBe('c');
    expect(tree.orphans).toBe(2);
  });

  it('breaks rings', () => {
    const tree = traceTree([span('a', 'b', 0, 10), span('b', 'c', 1, 9), span('c', 'a', 2, 8)])!;
    expect(tree.cycles).toBe(1);
    expect(tree.nodes).toHaveLength(3);
    const self = traceTree([span('a', 'a', 0, 10)])!;
    expect([self.cycles, self.nodes.length]).toEqual([1, 1]);
  });

  it('keeps one of spans that came twice, the longer', () => {
    const tree = traceTree([span('a', '', 0, 100), span('b', 'a', 10, 10), span('b', 'a', 10, 40)])!;
    expect(tree.duplicates).toBe(1);
    expect(tree.nodes.map(({ to }) => to)).toEqual([100, 40]);
  });

  it('sets a clock that was wrong into the middle of the call, with all below', () => {
    const tree = traceTree([
      span('a', '', 0, 100_000, { service: 'gull' }),
      span('b', 'a', 41_000_000, 41_060_000, { service: 'tern' }),
      span('c', 'b', 41_010_000, 41_020_000, { service: 'tern', kind: 'client' }),
    ])!;
    expect(tree.nodes.map(({ from, to }) => [from, to])).toEqual([
      [0, 100_000],
      [20_000, 80_000],
      [30_000, 40_000],
    ]);
    expect(tree.skew).toBe(40_980_000);
  });

  it('does not blame the clock for what goes on after the answer', () => {
    const tree = traceTree([
      span('a', '', 0, 100_000, { service: 'gull' }),
      span('b', 'a', 90_000, 500_000, { service: 'tern' }),
    ])!;
    expect(tree.skew).toBe(0);
  });

  it('takes fifty thousand spans, also as one chain', () => {
    const wide = [span('root', '', 0, 1e6)];
    const deep = [span('0', '', 0, 1e6)];
    for (let at = 1; at < 50_000; at++) {
      wide.push(span(`w${at}`, 'root', at * 10, at * 10 + 5));
      deep.push(span(String(at), String(at - 1), at, 1e6 - at));
    }
    expect(traceTree(wide)!.nodes).toHaveLength(50_000);
    const chain = traceTree(deep)!;
    expect(chain.nodes.at(-1)!.depth).toBe(49_999);
    expect(criticalPath(chain.root)).toHaveLength(99_999);
  });
});

describe('the critical path', () => {
  it('goes back from the end by the child that ended last', () => {
    // Worked by hand: b and c run side by side and c ends later, so that b never matters; d follows c.
    const { root } = traceTree([
      span('a', '', 0, 100),
      span('b', 'a', 10, 40),
      span('c', 'a', 10, 60),
      span('d', 'a', 62, 90),
      span('e', 'd', 70, 80),
    ])!;
    expect(criticalPath(root).map(({ node, from, to }) => [node.span.id, from, to])).toEqual([
      ['a', 0, 10],
      ['c', 10, 60],
      ['a', 60, 62],
      ['d', 62, 70],
      ['e', 70, 80],
      ['d', 80, 90],
      ['a', 90, 100],
    ]);
  });

  it('leaves out what goes on after the answer', () => {
    const { root } = traceTree([span('a', '', 0, 100), span('b', 'a', 10, 300)])!;
    expect(criticalPath(root).map(({ node }) => node.span.id)).toEqual(['a']);
  });

  it('adds up to the whole without holes, whatever the spans', () => {
    const piece = fc.record({ parent: fc.nat(9), from: fc.nat(1000), length: fc.nat(600) });
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 30 }), (pieces) => {
        const spans = [span('0', '', 0, 1000)];
        pieces.forEach(({ parent, from, length }, at) =>
          spans.push(span(String(at + 1), String(Math.min(parent, at)), from, from + length)),
        );
        const { root } = traceTree(spans)!;
        let reached = root.from;
        for (const { from, to } of criticalPath(root)) {
          expect(from).toBeCloseTo(reached, 6);
          expect(to).toBeGreaterThan(from);
          reached = to;
        }
        expect(reached).toBeCloseTo(root.to, 6);
      }),
    );
  });
});

describe('the time account', () => {
  const slow = [
    span('a', '', 0, 1_000_000, { service: 'edge' }),
    span('b', 'a', 1000, 990_000, { service: 'quoter', name: 'price' }),
    span('c', 'b', 901_000, 950_000, { service: 'quoter', kind: 'client', peer: 'ledger', name: 'select' }),
  ];

  it('adds up to the request, and names what it can not account for', () => {
    const parts = timeAccount(traceTree(slow)!);
    expect(accountSums(parts)).toEqual([
      { kind: 'unaccounted', who: 'quoter', time: 900_000 },
      { kind: 'call', who: 'ledger', time: 49_000 },
      { kind: 'own', who: 'quoter', time: 40_000 },
      { kind: 'own', who: 'edge', time: 11_000 },
    ]);
    expect(parts.find(({ kind }) => kind === 'unaccounted')!.where).toBe(
      'in quoter price, before its first call',
    );
  });

  it('takes what is usual for work', () => {
    const key = operationOf({ service: 'quoter', name: 'price' });
    const kinds = (gap: number) =>
      timeAccount(traceTree(slow)!, new Map([[key, gap]])).map(({ kind }) => kind);
    expect(kinds(20_000)).toContain('unaccounted');
    expect(kinds(850_000)).not.toContain('unaccounted');
  });

  it('tells the way to another service from its work', () => {
    const parts = timeAccount(
      traceTree([
        span('a', '', 0, 100, { service: 'edge' }),
        span('b', 'a', 10, 90, { service: 'edge', kind: 'client' }),
        span('c', 'b', 30, 80, { service: 'tern' }),
      ])!,
    );
    expect(accountSums(parts)).toEqual([
      { kind: 'own', who: 'tern', time: 50 },
      { kind: 'waiting', who: 'edge', time: 30 },
      { kind: 'own', who: 'edge', time: 20 },
    ]);
  });

  it('knows from many requests how long nothing is usually recorded', () => {
    const trees = Array.from({ length: 11 }, (_, at) =>
      traceTree([span('a', '', 0, 100), span('b', 'a', 10 + at, 60)])!,
    );
    // The longest gap is the one behind the call, 40.
    expect(usualGaps(trees).get(operationOf({ service: 'gull', name: 'fly' }))).toBe(40);
    expect(usualGaps(trees.slice(0, 3)).size).toBe(0);
  });
});
