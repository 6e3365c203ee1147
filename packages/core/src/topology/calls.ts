import type { Window } from '../query/window.js';
import { rowsOf } from '../query/window.js';
import { quantityOf } from '../records/quantity.js';
import { quantiles } from '../requests/tally.js';
import { fieldReader, SAMPLED_ONE_IN, weightOf } from '../requests/span.js';
import type { SegmentView } from '../segments/view.js';

/** What one service asked of another. */
export interface Call {
  from: string;
  to: string;
  /** Calls, as many as there were: spans of which only a sample was kept count for those that were not. */
  calls: number;
  failed: number;
  /** Seconds that they took together. */
  seconds: number;
  /** Seconds that 95% of them are under. */
  p95: number;
}

/** A span as far as calls can be told from it. */
export interface SpanPart {
  service: string;
  span: string;
  parent: string;
  /** Whom it asked, where that one records no spans of its own. */
  peer: string;
  failed: boolean;
  seconds: number;
  weight: number;
}

/** The spans of a segment that lie in a window. */
export async function spanParts(view: SegmentView, window: Window): Promise<SpanPart[]> {
  const [from, to] = rowsOf(await view.times(), window);
  if (from === to) return [];
  const services = await view.services();
  const [span, parent, peer, status, duration, oneIn] = await Promise.all(
    ['span', 'parent', 'peer.service', 'status', 'duration', SAMPLED_ONE_IN].map((name) =>
      fieldReader(view, name),
    ),
  );
  const parts: SpanPart[] = [];
  for (let row = from; row < to; row++) {
    parts.push({
      service: view.summary.services[services[row]!]!,
      span: span!(row),
      parent: parent!(row),
      peer: peer!(row),
      failed: status!(row) === 'error',
      seconds: quantityOf(duration!(row))?.value ?? 0,
      weight: weightOf(oneIn!(row)),
    });
  }
  return parts;
}

/**
 * Who calls whom: a span whose parent is of another service is a call of that one; a span that names whom it
 * asked, and from which no span of another service comes, is a call of one that records none.
 */
export function callsOf(spans: readonly SpanPart[]): Call[] {
  const serviceOf = new Map(spans.map(({ span, service }) => [span, service]));
  /** Spans that another service's span has for a parent. */
  const answered = new Set<string>();
  const calls = new Map<string, Call>();
  const times = new Map<Call, { seconds: number; weight: number }[]>();
  const add = (from: string, to: string, { weight, failed, seconds }: SpanPart): void => {
    const key = JSON.stringify([from, to]);
    let call = calls.get(key);
    if (!call) {
      calls.set(key, (call = { from, to, calls: 0, failed: 0, seconds: 0, p95: 0 }));
      times.set(call, []);
    }
    times.get(call)!.push({ seconds, weight });
    call.calls += weight;
    if (failed) call.failed += weight;
    call.seconds += seconds * weight;
  };
  for (const part of spans) {
    const caller = part.parent === '' ? undefined : serviceOf.get(part.parent);
    if (caller === undefined || caller === part.service) continue;
    answered.add(part.parent);
    add(caller, part.service, part);
  }
  for (const part of spans)
    if (part.peer !== '' && part.peer !== part.service && !answered.has(part.span))
      add(part.service, part.peer, part);
  for (const [call, own] of times) call.p95 = quantiles(own, [0.95])[0]!;
  return [...calls.values()].sort((a, b) => b.calls - a.calls || (a.from + a.to < b.from + b.to ? -1 : 1));
}
