/** A change as far as it tells what belongs to it. */
interface Told {
  id: string;
  /** Microseconds since 1970. */
  at: number;
  kind: string;
  service: string;
}

/** A change with those that it brought about. */
export interface Folded {
  id: string;
  brought: string[];
}

/** Microseconds in which restarts and probes of a service belong to what was done to it. */
const BELONGS = 600e6;
const DOES = new Set(['deployment', 'configuration', 'scaling']);
const FOLLOWS = new Set(['restart', 'readiness']);

/** Changes in the order of time, restarts and failed readiness of a service put with what was done to it just before. */
export function foldChanges(changes: readonly Told[]): Folded[] {
  const folded: Folded[] = [];
  const doing = new Map<string, { at: number; into: Folded }>();
  for (const { id, at, kind, service } of [...changes].sort((a, b) => a.at - b.at)) {
    const before = doing.get(service);
    if (service !== '' && FOLLOWS.has(kind) && before && at - before.at <= BELONGS) {
      before.into.brought.push(id);
      continue;
    }
    const own: Folded = { id, brought: [] };
    folded.push(own);
    if (DOES.has(kind)) doing.set(service, { at, into: own });
  }
  return folded;
}
