import type { Layout, Sealed, Shape } from '@flail/core';

const layoutKey = ({ literals, types }: Layout): string => `${types}\u0000${literals.join('\u0000')}`;
const shapeKey = ({ format, literals, holes, shadows }: Shape): string =>
  JSON.stringify([format, literals, holes, shadows]);

/** Gives what several workers found by themselves one number: what is the same, character for character, is one. */
class Numbers<T extends { id: number }> {
  private readonly byKey = new Map<string, number>();
  /** For each worker, the number of each of its own. */
  private readonly ofWorker: number[][] = [];
  private next: number;

  constructor(
    private readonly keyOf: (one: T) => string,
    known: readonly T[],
    workers: number,
  ) {
    for (const one of known) this.byKey.set(keyOf(one), one.id);
    this.next = known.length;
    for (let worker = 0; worker < workers; worker++) this.ofWorker.push(known.map(({ id }) => id));
  }

  /** Takes in what a worker found; returns what nobody had found before. */
  take(worker: number, found: readonly T[]): T[] {
    const fresh: T[] = [];
    for (const one of found) {
      const key = this.keyOf(one);
      let id = this.byKey.get(key);
      if (id === undefined) {
        id = this.next++;
        this.byKey.set(key, id);
        fresh.push({ ...one, id });
      }
      this.ofWorker[worker]![one.id] = id;
    }
    return fresh;
  }

  of(worker: number, own: number): number {
    return this.ofWorker[worker]![own]!;
  }
}

/**
 * Workers find shapes and layouts each for themselves. Here those that are the same get one number, which
 * only touches the tables of a sealed segment: its columns hold places in those tables.
 */
export class Unifier {
  private readonly layouts: Numbers<Layout>;
  private readonly shapes: Numbers<Shape>;

  constructor(shapes: readonly Shape[], layouts: readonly Layout[], workers: number) {
    this.shapes = new Numbers(shapeKey, shapes, workers);
    this.layouts = new Numbers(layoutKey, layouts, workers);
  }

  /** The segment in the data set's numbers, with only those shapes and layouts that are new to it. */
  unify(worker: number, sealed: Sealed): Sealed {
    const shapes = this.shapes.take(worker, sealed.shapes);
    const layouts = this.layouts.take(worker, sealed.layouts);
    const { summary } = sealed;
    return {
      ...sealed,
      shapes,
      layouts,
      summary: {
        ...summary,
        shapes: summary.shapes.map((id) => this.shapes.of(worker, id)),
        layouts: summary.layouts.map((id) => this.layouts.of(worker, id)),
      },
    };
  }
}
