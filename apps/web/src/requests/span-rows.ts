import type { SpanBody } from '@flail/contract';

/** A row of the tree: one span, or many calls alike counted as one. */
export interface SpanRow {
  /** Place of the span, or of the first of those alike. */
  span: number;
  /** Places of all that the row stands for. */
  of: number[];
  depth: number;
  /** Seconds in which any of them ran. */
  time: number;
}

/** From how many on calls alike are one row. */
const MANY = 4;

/**
 * The rows of a request's tree. Calls alike of one parent (same service, operation and peer, nothing below
 * them, none failed) are one row from four on, unless they were opened.
 *
 * @param opened places of the first spans of those that are shown one by one
 */
export function spanRows(spans: readonly SpanBody[], opened: ReadonlySet<number>): SpanRow[] {
  const children = spans.map(() => [] as number[]);
  spans.forEach(({ parent }, at) => {
    if (parent !== undefined && children[parent]) children[parent].push(at);
  });
  const rows: SpanRow[] = [];
  const open = spans.length === 0 ? [] : [0];
  const groupAt = new Map<number, number[]>();
  for (let at = open.pop(); at !== undefined; at = open.pop()) {
    const span = spans[at]!;
    const group = groupAt.get(at);
    const of = group ?? [at];
    rows.push({
      span: at,
      of,
      depth: span.depth,
      time: of.reduce((sum, one) => sum + spans[one]!.to - spans[one]!.from, 0),
    });
    const shown: number[] = [];
    const alike = new Map<string, number[]>();
    for (const child of children[at]!) {
      const { service, operation, peer = '', failed } = spans[child]!;
      const key = `${service}\n${operation}\n${peer}`;
      const own = alike.get(key);
      if (!failed && children[child]!.length === 0) {
        if (own) own.push(child);
        else alike.set(key, [child]);
      }
      shown.push(child);
    }
    const hidden = new Set<number>();
    for (const own of alike.values()) {
      if (own.length < MANY || opened.has(own[0]!)) continue;
      groupAt.set(own[0]!, own);
      for (const one of own.slice(1)) hidden.add(one);
    }
    if (group) continue;
    for (const child of shown.reverse()) if (!hidden.has(child)) open.push(child);
  }
  return rows;
}
