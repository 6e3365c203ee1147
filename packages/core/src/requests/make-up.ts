import { criticalPath } from './critical-path.js';
import type { Span } from './span.js';
import { median } from '../statistics/median.js';
import type { TraceTree } from './tree.js';

/** How a component's part of the time of requests goes with the whole. */
export interface MadeOf {
  service: string;
  name: string;
  /** Seconds on the critical path: the mean, and the median. */
  mean: number;
  median: number;
  /** How many of its spans a request has, on average. */
  spans: number;
  /**
   * Part of the variance of the whole that goes with it: its covariance with the whole, by the variance of the
   * whole. The parts of all components add up to 1; below 0 where it is short when the whole is long.
   */
  share: number;
}

/** What the time of a body of requests is made of: the components whose time follows the whole first. */
export function makeUp(trees: readonly TraceTree<Span>[]): MadeOf[] {
  const totals: number[] = [];
  const parts = new Map<string, { service: string; name: string; at: Map<number, number>; spans: number }>();
  const partOf = ({ service, name, peer }: Span) => {
    const who = peer === '' ? service : peer;
    const key = `${who}\n${name}`;
    let part = parts.get(key);
    if (!part) parts.set(key, (part = { service: who, name, at: new Map<number, number>(), spans: 0 }));
    return part;
  };
  trees.forEach((tree, request) => {
    totals.push((tree.root.to - tree.root.from) / 1e6);
    for (const { span } of tree.nodes) partOf(span).spans++;
    for (const { node, from, to } of criticalPath(tree.root)) {
      const { at } = partOf(node.span);
      at.set(request, (at.get(request) ?? 0) + (to - from) / 1e6);
    }
  });
  const count = totals.length;
  const whole = totals.reduce((sum, total) => sum + total, 0) / Math.max(1, count);
  const variance = totals.reduce((sum, total) => sum + (total - whole) ** 2, 0);
  return [...parts.values()]
    .map(({ service, name, at, spans }): MadeOf => {
      const mean = [...at.values()].reduce((sum, time) => sum + time, 0) / count;
      let covariance = 0;
      totals.forEach((total, request) => {
        covariance += ((at.get(request) ?? 0) - mean) * (total - whole);
      });
      return {
        service,
        name,
        mean,
        median: median(totals.map((_, request) => at.get(request) ?? 0)),
        spans: spans / count,
        share: variance > 0 ? covariance / variance : 0,
      };
    })
    .sort((a, b) => b.share - a.share || b.mean - a.mean);
}
