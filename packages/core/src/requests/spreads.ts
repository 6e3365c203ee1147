import { type Member, type Spread, spreadOf } from '../impact/spread.js';
import type { Request } from './entries.js';
import type { Span } from './span.js';
import type { TraceTree } from './tree.js';

/** How failing requests spread over the values of one thing that all of them have. */
export interface NamedSpread extends Spread {
  field: string;
  /** Where it is that of one service on the way. */
  service?: string;
  members: Member[];
}

/** Values beyond which a thing names single requests rather than kinds of them. */
const MOST_VALUES = 60;
/** A subset of more than these says nothing to a person. */
const MOST_NAMED = 8;
/** What senders declare that places them. */
const PLACES = ['instance', 'host', 'site', 'service.version'];

/**
 * How the failing among requests spread over instances, hosts, sites and versions of each service on their way,
 * and over the fields of their first spans. Subsets come first, the least likely by chance before the others.
 *
 * @param fieldsOf fields of a request's first span
 */
export function spreadsOf(
  requests: readonly Request[],
  trees: ReadonlyMap<string, TraceTree<Span>>,
  fieldsOf: (request: Request) => ReadonlyMap<string, string>,
): NamedSpread[] {
  interface Counts {
    field: string;
    service?: string;
    members: Map<string, Member>;
  }
  const all = new Map<string, Counts>();
  const count = (field: string, service: string | undefined, name: string, request: Request): void => {
    const key = `${service ?? ''}\n${field}`;
    let counts = all.get(key);
    if (!counts)
      all.set(key, (counts = { field, ...(service !== undefined && { service }), members: new Map() }));
    let member = counts.members.get(name);
    if (!member) counts.members.set(name, (member = { name, all: 0, failed: 0 }));
    member.all++;
    if (request.outcome === 'failed') member.failed++;
  };
  for (const request of requests) {
    for (const [field, value] of fieldsOf(request)) count(field, undefined, value, request);
    const seen = new Set<string>();
    for (const { span } of trees.get(request.trace)?.nodes ?? [])
      for (const field of PLACES) {
        const value = span.sender[field];
        // A request that comes by the same place several times is one.
        const once = `${span.service}\n${field}\n${value ?? ''}`;
        if (value === undefined || seen.has(once)) continue;
        seen.add(once);
        count(field, span.service, value, request);
      }
  }
  return [...all.values()]
    .map(({ members, ...named }): NamedSpread => {
      const list = [...members.values()].sort((a, b) => b.failed / b.all - a.failed / a.all || b.all - a.all);
      return { ...named, members: list, ...spreadOf(list) };
    })
    .filter(({ members }) => members.length > 1 && members.length <= MOST_VALUES)
    .filter(({ subset }) => subset.length <= MOST_NAMED)
    .sort(
      (a, b) =>
        Number(b.verdict === 'a subset') - Number(a.verdict === 'a subset') ||
        b.carries - a.carries ||
        a.subset.length / a.members.length - b.subset.length / b.members.length ||
        a.p - b.p,
    );
}
