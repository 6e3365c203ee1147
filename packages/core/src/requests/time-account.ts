import { criticalPath, type PathPart } from './critical-path.js';
import type { Span } from './span.js';
import { operationOf } from './tally.js';
import type { SpanNode, TraceTree } from './tree.js';

/** What a stretch of a request's time went on. */
export type AccountKind =
  /** Work of a service itself. */
  | 'own'
  /** A call of something that records no spans of its own. */
  | 'call'
  /** Between asking another service and its beginning, and between its end and the answer. */
  | 'waiting'
  /** Nothing was recorded, for longer than is usual there. */
  | 'unaccounted';

/** One stretch of a request's time. */
export interface AccountPart<T extends Span = Span> {
  kind: AccountKind;
  /** The service that worked, or that was asked. */
  who: string;
  node: SpanNode<T>;
  from: number;
  to: number;
  /** For what is not accounted for: where it lies. */
  where?: string;
}

/** Microseconds that spans of an operation usually work on their own without a call, the longest stretch; by `service` and name. */
export type UsualGaps = ReadonlyMap<string, number>;

/** A gap is told of when it is so many times as long as is usual… */
const TIMES_USUAL = 3;
/** …and at least this share of the whole… */
const SHARE = 0.2;
/** …and, where nothing is known of what is usual, this share. */
const SHARE_UNKNOWN = 0.5;
/** Microseconds under which no gap is worth a word. */
const TRIFLE = 5000;

/**
 * Where the time of a request went: its critical path, every stretch of which is somebody's own work, a call,
 * waiting on the way to another service, or not accounted for. The parts add up to the length of the request.
 */
export function timeAccount<T extends Span>(tree: TraceTree<T>, usual?: UsualGaps): AccountPart<T>[] {
  const whole = tree.root.to - tree.root.from;
  return criticalPath(tree.root).map((part): AccountPart<T> => {
    const { node, from, to } = part;
    const { span } = node;
    const asked = node.children.some(({ span: child }) => child.service !== span.service);
    const outward = span.kind === 'client' || span.kind === 'producer';
    if (outward && asked) return { kind: 'waiting', who: span.service, node, from, to };
    if (outward && node.children.length === 0)
      return { kind: 'call', who: span.peer === '' ? span.service : span.peer, node, from, to };
    const long = to - from;
    const known = usual?.get(operationOf(span));
    const strange =
      long > TRIFLE &&
      (known === undefined
        ? node.children.length > 0 && long > whole * SHARE_UNKNOWN
        : long > known * TIMES_USUAL && long > whole * SHARE);
    if (!strange) return { kind: 'own', who: span.service, node, from, to };
    return { kind: 'unaccounted', who: span.service, node, from, to, where: placeOf(part) };
  });
}

/** Where in its span a stretch lies, in words. */
function placeOf<T extends Span>({ node, from, to }: PathPart<T>): string {
  const { span, children } = node;
  const what = `${span.service} ${span.name}`;
  const before = children.filter((child) => child.to <= from + 1).sort((a, b) => b.to - a.to)[0];
  const after = children.filter((child) => child.from >= to - 1).sort((a, b) => a.from - b.from)[0];
  if (!before && !after) return `within ${what}, which records no calls`;
  if (!before) return `in ${what}, before its first call`;
  if (!after) return `in ${what}, after its last call`;
  return `in ${what}, between ${before.span.name} and ${after.span.name}`;
}

/** Sums of an account by kind and whom it is of, the largest first, in the unit of the parts. */
export function accountSums(
  parts: readonly Pick<AccountPart, 'kind' | 'who' | 'from' | 'to'>[],
): { kind: AccountKind; who: string; time: number }[] {
  const sums = new Map<string, { kind: AccountKind; who: string; time: number }>();
  for (const { kind, who, from, to } of parts) {
    const key = JSON.stringify([kind, who]);
    const sum = sums.get(key);
    if (sum) sum.time += to - from;
    else sums.set(key, { kind, who, time: to - from });
  }
  return [...sums.values()].sort((a, b) => b.time - a.time);
}
