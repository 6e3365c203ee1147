/** What tells operations apart. */
interface OfOperation {
  service: string;
  name: string;
}

/** Something for each operation. Two lookups by texts that are there are much faster than one by a text put together. */
export class ByOperation<T> {
  private readonly services = new Map<string, Map<string, T>>();

  get({ service, name }: OfOperation): T | undefined {
    return this.services.get(service)?.get(name);
  }

  /** What there is for an operation, made where there is nothing yet. */
  of(one: OfOperation, make: () => T): T {
    let own = this.services.get(one.service);
    if (!own) this.services.set(one.service, (own = new Map<string, T>()));
    let found = own.get(one.name);
    if (found === undefined) own.set(one.name, (found = make()));
    return found;
  }

  values(): T[] {
    return [...this.services.values()].flatMap((own) => [...own.values()]);
  }

  map<U>(change: (value: T) => U): ByOperation<U> {
    const changed = new ByOperation<U>();
    for (const [service, own] of this.services)
      for (const [name, value] of own) changed.of({ service, name }, () => change(value));
    return changed;
  }
}

/** Those of each operation. */
export function groupedByOperation<T extends OfOperation>(all: Iterable<T>): ByOperation<T[]> {
  const groups = new ByOperation<T[]>();
  for (const one of all) groups.of(one, () => []).push(one);
  return groups;
}
