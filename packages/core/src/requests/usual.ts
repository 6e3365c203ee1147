import { median } from '../statistics/median.js';
import type { Span } from './span.js';
import { operationOf } from './tally.js';
import type { UsualGaps } from './time-account.js';
import { gapsOf, type TraceTree } from './tree.js';

/** Of fewer spans nothing is called usual. */
const ENOUGH = 10;

/** What the longest stretch without a call usually is in spans of each operation: the median over many requests. */
export function usualGaps(trees: Iterable<TraceTree<Span>>): UsualGaps {
  const seen = new Map<string, number[]>();
  for (const { nodes } of trees)
    for (const node of nodes) {
      const longest = gapsOf(node).reduce((most, [from, to]) => Math.max(most, to - from), 0);
      const key = operationOf(node.span);
      const own = seen.get(key);
      if (own) own.push(longest);
      else seen.set(key, [longest]);
    }
  const usual = new Map<string, number>();
  for (const [key, all] of seen) if (all.length >= ENOUGH) usual.set(key, median(all));
  return usual;
}
