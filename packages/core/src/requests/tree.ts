import type { Span } from './span.js';

/** A span among those of its request. */
export interface SpanNode<T extends Span = Span> {
  span: T;
  /** Steps below the first. */
  depth: number;
  children: SpanNode<T>[];
  parent: SpanNode<T> | undefined;
  /** Its time, put right where its clock was wrong. */
  from: number;
  to: number;
  /** Microseconds that were added to its time. */
  shifted: number;
  /** Its parent is named, but was not recorded. */
  orphan: boolean;
}

/** The spans of a request as a tree, and what was wrong with them. */
export interface TraceTree<T extends Span = Span> {
  root: SpanNode<T>;
  /** All of them, each before its children, in the order of time. */
  nodes: SpanNode<T>[];
  /** Spans whose parent was not recorded. */
  orphans: number;
  /** Spans that came more than once. */
  duplicates: number;
  /** Spans that were their own ancestors. */
  cycles: number;
  /** The largest time, in microseconds, by which a clock was wrong. */
  skew: number;
}

/**
 * Puts the spans of one trace together. The first is the one without a parent, the earliest of several; what
 * hangs on nothing that was recorded is put below it. Where a span that another process recorded lies outside
 * its parent, that clock was wrong: it is set so that the way there and back took equally long (Cristian 1989),
 * with all that is below it.
 *
 * @returns undefined where there are no spans
 */
export function traceTree<T extends Span>(spans: readonly T[]): TraceTree<T> | undefined {
  const byId = new Map<string, SpanNode<T>>();
  let duplicates = 0;
  for (const span of spans) {
    const known = byId.get(span.id);
    // Of one that came twice, the one that tells more is kept: it may have been sent before its end.
    if (known) duplicates++;
    if (known && known.span.to - known.span.from >= span.to - span.from) continue;
    byId.set(span.id, {
      span,
      depth: 0,
      children: [],
      parent: undefined,
      from: span.from,
      to: span.to,
      shifted: 0,
      orphan: false,
    });
  }
  const all = [...byId.values()].sort((a, b) => a.from - b.from || (a.span.id < b.span.id ? -1 : 1));
  if (all.length === 0) return undefined;
  for (const node of all) {
    const { parent } = node.span;
    node.parent = byId.get(parent);
    node.orphan = parent !== '' && !node.parent;
  }
  const cycles = breakCycles(all);
  const tops = all.filter(({ parent }) => !parent);
  const root = tops.find(({ orphan }) => !orphan) ?? tops[0]!;
  for (const top of tops) if (top !== root) top.parent = root;
  for (const node of all) node.parent?.children.push(node);
  const nodes: SpanNode<T>[] = [];
  let skew = 0;
  // Not by recursion: a request may be thousands of steps deep.
  const open = [root];
  for (let node = open.pop(); node; node = open.pop()) {
    nodes.push(node);
    if (node.parent) {
      node.depth = node.parent.depth + 1;
      const shift = node.parent.shifted + shiftInto(node, node.parent);
      node.shifted = shift;
      node.from = node.span.from + shift;
      node.to = node.span.to + shift;
      skew = Math.max(skew, Math.abs(shift));
    }
    for (let at = node.children.length - 1; at >= 0; at--) open.push(node.children[at]!);
  }
  return { root, nodes, orphans: all.filter(({ orphan }) => orphan).length, duplicates, cycles, skew };
}

/** Clocks are not blamed for less, microseconds. */
const TRIFLE = 1000;

/** What has to be added to a span's time, beyond what is added to its parent's, so that it lies within. */
function shiftInto<T extends Span>({ span }: SpanNode<T>, { span: parent }: SpanNode<T>): number {
  // Within one process there is one clock; and what goes on behind a message may well come later.
  if (span.service === parent.service && span.kind !== 'server') return 0;
  if (span.kind === 'consumer' || parent.kind === 'producer') return 0;
  const early = parent.from - span.from;
  const beyond = span.from - parent.to;
  if (early <= TRIFLE && beyond <= 0) return 0;
  const room = parent.to - parent.from - (span.to - span.from);
  return room >= 0 ? early + room / 2 : early;
}

/** Takes the parent away from one span of each ring. */
function breakCycles<T extends Span>(nodes: readonly SpanNode<T>[]): number {
  const done = new Set<SpanNode<T>>();
  let cycles = 0;
  for (const start of nodes) {
    const way = new Set<SpanNode<T>>();
    let node: SpanNode<T> | undefined = start;
    while (node && !done.has(node)) {
      way.add(node);
      if (node.parent && way.has(node.parent)) {
        node.parent = undefined;
        node.orphan = true;
        cycles++;
      }
      node = node.parent;
    }
    for (const one of way) done.add(one);
  }
  return cycles;
}

/** Microseconds of a span in which none of its children ran. */
export function ownTime<T extends Span>(node: SpanNode<T>): number {
  return gapsOf(node).reduce((sum, [from, to]) => sum + to - from, 0);
}

/** The stretches of a span in which none of its children ran. */
export function gapsOf<T extends Span>({ from, to, children }: SpanNode<T>): [from: number, to: number][] {
  const gaps: [number, number][] = [];
  let at = from;
  for (const child of [...children].sort((a, b) => a.from - b.from)) {
    if (child.from >= to) break;
    if (child.from > at) gaps.push([at, child.from]);
    at = Math.max(at, Math.min(child.to, to));
  }
  if (at < to) gaps.push([at, to]);
  return gaps;
}
