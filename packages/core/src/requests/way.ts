import type { Span } from './span.js';
import type { TraceTree } from './tree.js';

/** A call from one service to another, by the requests on whose way it lies. */
export interface WayCall {
  from: string;
  to: string;
  /** Requests that make it, however often each. */
  requests: number;
  /** Requests in which it failed. */
  failed: number;
}

/**
 * By which calls requests go: from the service of a span to that of the spans it began, and to whom a span names
 * that records none. Those that most requests make come first.
 */
export function wayOf<T extends Span>(trees: Iterable<TraceTree<T>>): WayCall[] {
  const calls = new Map<string, WayCall>();
  for (const { nodes } of trees) {
    /** The calls of this request, and whether each failed. */
    const made = new Map<string, { from: string; to: string; failed: boolean }>();
    const make = (from: string, to: string, failed: boolean): void => {
      const key = JSON.stringify([from, to]);
      made.set(key, { from, to, failed: failed || made.get(key)?.failed === true });
    };
    for (const { span, parent, children } of nodes) {
      if (parent && parent.span.service !== span.service)
        make(parent.span.service, span.service, span.failed);
      const answered = children.some((child) => child.span.service !== span.service);
      if (span.peer !== '' && span.peer !== span.service && !answered)
        make(span.service, span.peer, span.failed);
    }
    for (const [key, { from, to, failed }] of made) {
      let call = calls.get(key);
      if (!call) calls.set(key, (call = { from, to, requests: 0, failed: 0 }));
      call.requests++;
      if (failed) call.failed++;
    }
  }
  return [...calls.values()].sort(
    (a, b) => b.requests - a.requests || (a.from + a.to < b.from + b.to ? -1 : 1),
  );
}
