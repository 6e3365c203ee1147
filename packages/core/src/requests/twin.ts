import { ownTime, type TraceTree } from './tree.js';

/** A request with what is told of it, for comparing. */
export interface Told {
  trace: string;
  at: number;
  /** Fields of its first span and of those below, without those that name single things. */
  fields: ReadonlyMap<string, string>;
}

/** One thing that tells a request from its twin. */
export interface TwinDifference {
  kind: 'field' | 'calls' | 'time';
  /** Field, or operation. */
  what: string;
  own: string | number;
  twin: string | number;
  /** For fields: share of the healthy whose value is no commoner than its own; for calls and times how near the two are. The smaller, the more it tells. */
  likeOwn: number;
}

/**
 * How alike two requests are (Gower 1971 for qualities): the share of fields with the same value, each
 * counted for as much as it tells, which is little where nearly all have the same.
 */
export function likeness(a: Told, b: Told, telling: ReadonlyMap<string, number>): number {
  let same = 0;
  let all = 0;
  for (const field of new Set([...a.fields.keys(), ...b.fields.keys()])) {
    const weight = telling.get(field) ?? 0;
    all += weight;
    if (a.fields.get(field) === b.fields.get(field)) same += weight;
  }
  return all === 0 ? 1 : same / all;
}

/** Entropy of the values of each field among requests, in bits; fields of which nearly each value is its own tell nothing. */
export function tellingFields(requests: readonly Told[]): Map<string, number> {
  const values = new Map<string, Map<string, number>>();
  for (const { fields } of requests)
    for (const [field, value] of fields) {
      let own = values.get(field);
      if (!own) values.set(field, (own = new Map<string, number>()));
      own.set(value, (own.get(value) ?? 0) + 1);
    }
  const telling = new Map<string, number>();
  for (const [field, own] of values) {
    if (requests.length >= 4 && own.size > requests.length / 2) continue;
    let bits = 0;
    for (const count of own.values()) {
      const share = count / requests.length;
      bits -= share * Math.log2(share);
    }
    telling.set(field, bits);
  }
  return telling;
}

/** The healthy request that is most like one: of equals the nearest in time. */
export function twinOf(
  subject: Told,
  healthy: readonly Told[],
): { twin: Told; likeness: number } | undefined {
  const telling = tellingFields([subject, ...healthy]);
  let best: { twin: Told; likeness: number } | undefined;
  for (const twin of healthy) {
    if (twin.trace === subject.trace) continue;
    const alike = likeness(subject, twin, telling);
    const nearer =
      best !== undefined &&
      alike === best.likeness &&
      Math.abs(twin.at - subject.at) < Math.abs(best.twin.at - subject.at);
    if (!best || alike > best.likeness || nearer) best = { twin, likeness: alike };
  }
  return best;
}

interface Calls {
  count: number;
  /** Microseconds. */
  time: number;
}

/** How often each operation was called, and its own time: that of what it called is told there. */
function callsOf({ nodes }: TraceTree): Map<string, Calls> {
  const calls = new Map<string, Calls>();
  for (const node of nodes) {
    const { span } = node;
    const key = `${span.service} ${span.name}${span.peer === '' ? '' : ` ${span.peer}`}`;
    const own = calls.get(key);
    if (own) {
      own.count++;
      own.time += ownTime(node);
    } else calls.set(key, { count: 1, time: ownTime(node) });
  }
  return calls;
}

/** Times are different when one is this many times the other, and the difference is this share of the whole. */
const TIMES = 2;
const SHARE = 0.1;

/** What tells a request from its twin: fields by how few of the healthy have the same, then calls, then times. */
export function twinDifferences(
  subject: { told: Told; tree: TraceTree },
  twin: { told: Told; tree: TraceTree },
  healthy: readonly Told[],
): TwinDifference[] {
  const telling = tellingFields([subject.told, ...healthy]);
  const found: TwinDifference[] = [];
  for (const field of new Set([...subject.told.fields.keys(), ...twin.told.fields.keys()])) {
    const own = subject.told.fields.get(field);
    const other = twin.told.fields.get(field);
    if (own === other || !telling.has(field)) continue;
    found.push({
      kind: 'field',
      what: field,
      own: own ?? '',
      twin: other ?? '',
      likeOwn: asRare(field, own, healthy),
    });
  }
  const whole = subject.tree.root.to - subject.tree.root.from;
  const [own, other] = [callsOf(subject.tree), callsOf(twin.tree)];
  const none: Calls = { count: 0, time: 0 };
  for (const what of new Set([...own.keys(), ...other.keys()])) {
    const [a, b] = [own.get(what) ?? none, other.get(what) ?? none];
    if (a.count !== b.count)
      found.push({ kind: 'calls', what, own: a.count, twin: b.count, likeOwn: ratio(a.count, b.count) });
    else if (ratio(a.time, b.time) < 1 / TIMES && Math.abs(a.time - b.time) > SHARE * whole)
      found.push({
        kind: 'time',
        what,
        own: a.time / 1e6,
        twin: b.time / 1e6,
        likeOwn: ratio(a.time, b.time),
      });
  }
  return found.sort((a, b) => a.likeOwn - b.likeOwn);
}

/** Share of requests whose value of a field is no commoner among them than a given one. */
function asRare(field: string, value: string | undefined, requests: readonly Told[]): number {
  const counts = new Map<string | undefined, number>();
  for (const { fields } of requests) {
    const one = fields.get(field);
    counts.set(one, (counts.get(one) ?? 0) + 1);
  }
  const own = counts.get(value) ?? 0;
  let rare = 0;
  for (const count of counts.values()) if (count <= own) rare += count;
  return rare / Math.max(1, requests.length);
}

/** The smaller of two sizes as a part of the larger. */
const ratio = (a: number, b: number): number => (a === b ? 1 : Math.min(a, b) / Math.max(a, b));
