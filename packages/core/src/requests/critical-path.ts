import type { Span } from './span.js';
import type { SpanNode } from './tree.js';

/** A stretch of a request during which its end waited for one span alone. */
export interface PathPart<T extends Span = Span> {
  node: SpanNode<T>;
  from: number;
  to: number;
}

/**
 * The critical path of a request: from its end backwards, always with the child that ended last before the
 * moment reached; what no child accounts for is the span's own. Had any part been shorter, the whole would
 * have been (Zhang et al., "Critical path analysis of large-scale microservice architectures", USENIX ATC
 * 2022). The parts follow each other in time and add up to the length of the first span.
 */
export function criticalPath<T extends Span>(root: SpanNode<T>): PathPart<T>[] {
  const parts: PathPart<T>[] = [];
  interface Open {
    node: SpanNode<T>;
    /** Its time, so far as it lies within that of the one above. */
    from: number;
    at: number;
    children: SpanNode<T>[];
    next: number;
  }
  const opened = (node: SpanNode<T>, from: number, to: number): Open => {
    const children = [...node.children].sort((a, b) => b.to - a.to);
    return { node, from, at: to, children, next: 0 };
  };
  const stack: Open[] = [opened(root, root.from, root.to)];
  const own = (open: Open, down: number): void => {
    if (open.at > down) parts.push({ node: open.node, from: down, to: open.at });
    open.at = down;
  };
  while (stack.length > 0) {
    const open = stack.at(-1)!;
    const child = open.children[open.next];
    if (!child) {
      own(open, open.from);
      stack.pop();
      const above = stack.at(-1);
      if (above) above.at = open.from;
      continue;
    }
    open.next++;
    // One that goes on after the answer did not hold it up; one that ran beside what came next neither.
    if (child.to > open.at + EPSILON) continue;
    const to = Math.min(child.to, open.at);
    const from = Math.max(child.from, open.from);
    if (to <= from) continue;
    own(open, to);
    stack.push(opened(child, from, to));
  }
  return parts.reverse();
}

/** Rounding of moments, microseconds. */
const EPSILON = 0.5;
