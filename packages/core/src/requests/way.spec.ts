import { span } from '../testing/spans.js';
import type { Span } from './span.js';
import { traceTree } from './tree.js';
import { wayOf } from './way.js';

const tree = (...spans: Span[]) => traceTree(spans)!;

describe('the way of requests', () => {
  it('counts each call once a request, and whether it failed', () => {
    const one = tree(
      span('a', '', 0, 100, { service: 'edge' }),
      span('b', 'a', 1, 40, { service: 'quoter' }),
      span('c', 'a', 41, 90, { service: 'quoter', failed: true }),
      span('d', 'c', 42, 80, { service: 'quoter', peer: 'fares', kind: 'client', failed: true }),
    );
    const other = tree(
      span('a', '', 0, 100, { service: 'edge' }),
      span('b', 'a', 1, 40, { service: 'quoter' }),
    );
    expect(wayOf([one, other])).toEqual([
      { from: 'edge', to: 'quoter', requests: 2, failed: 1 },
      { from: 'quoter', to: 'fares', requests: 1, failed: 1 },
    ]);
  });

  it('asks who answers, where one does, rather than whom the call names', () => {
    const answered = tree(
      span('a', '', 0, 100, { service: 'edge', peer: 'quoter.local', kind: 'client' }),
      span('b', 'a', 1, 40, { service: 'quoter' }),
    );
    expect(wayOf([answered])).toEqual([{ from: 'edge', to: 'quoter', requests: 1, failed: 0 }]);
  });

  it('leads nowhere within one service, and of nothing', () => {
    expect(wayOf([tree(span('a', '', 0, 9), span('b', 'a', 1, 2))])).toEqual([]);
    expect(wayOf([])).toEqual([]);
  });
});
