import type { Span } from './span.js';
import type { SpanNode, TraceTree } from './tree.js';

/** A part of many requests in which their failing began. */
export interface Origin {
  service: string;
  name: string;
  /** Requests whose failing began there, and all that failed. */
  requests: number;
  of: number;
  /** Of those that failed there, how many of the spans above failed as well: they only pass it on. */
  passedOn: number;
  /** Message of the failure, the commonest, empty where none is told. */
  message: string;
}

/** The span in which a request's failing began: of those that failed without a failed child, the first to end. */
export function failedFirst<T extends Span>({ nodes }: TraceTree<T>): SpanNode<T> | undefined {
  let first: SpanNode<T> | undefined;
  for (const node of nodes) {
    if (!node.span.failed || node.children.some(({ span }) => span.failed)) continue;
    if (!first || node.to < first.to) first = node;
  }
  return first;
}

/** Where the failing of many requests began, the commonest first. */
export function originsOf<T extends Span>(trees: readonly TraceTree<T>[]): Origin[] {
  const origins = new Map<string, Origin & { messages: Map<string, number> }>();
  let of = 0;
  for (const tree of trees) {
    const node = failedFirst(tree);
    if (!node) continue;
    of++;
    const { service, name, message } = node.span;
    const key = `${service}\n${name}`;
    let origin = origins.get(key);
    if (!origin)
      origins.set(
        key,
        (origin = {
          service,
          name,
          requests: 0,
          of: 0,
          passedOn: 0,
          message: '',
          messages: new Map<string, number>(),
        }),
      );
    origin.requests++;
    if (node.parent?.span.failed) origin.passedOn++;
    origin.messages.set(message, (origin.messages.get(message) ?? 0) + 1);
  }
  return [...origins.values()]
    .sort((a, b) => b.requests - a.requests)
    .map(({ messages, ...origin }) => ({
      ...origin,
      of,
      message: [...messages].sort((a, b) => b[1] - a[1])[0]![0],
    }));
}
