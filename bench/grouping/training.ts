import { groupLayouts } from '../../packages/core/src/grouping/group-layouts.js';
import { Sets } from '../../packages/core/src/grouping/sets.js';
import { type Layout, LayoutBook } from '../../packages/core/src/patterns/layout.js';
import type { Instance } from './fit.js';
import { type RealSource, takeIn, type TakenRecord } from './real.js';
import { TextDraw } from './texts.js';

/** A source as grouping sees it, with the statement of each line. */
export interface Prepared {
  name: string;
  source?: RealSource;
  taken?: readonly TakenRecord[];
  layouts: readonly Layout[];
  records: readonly number[];
  /** Lines with a label, each with its layout. */
  lines: readonly { label: string; layout: number }[];
}

/** Takes a source in, alone. */
export async function prepared(source: RealSource): Promise<Prepared> {
  const { store, taken } = await takeIn([source]);
  const layoutOf = new Map<number, number>();
  for (const { firstLine, lines, layout } of taken[0]!)
    for (let line = firstLine; line < firstLine + lines; line++) layoutOf.set(line, layout);
  const lines = [...source.labels].map(([line, label]) => ({ label, layout: layoutOf.get(line) ?? -1 }));
  return {
    name: source.name,
    source,
    taken: taken[0]!,
    layouts: store.layouts,
    records: store.records,
    lines,
  };
}

/** Texts of templates drawn by the project itself. */
export function drawn(seed: string): Prepared {
  const book = new LayoutBook();
  const lines = new TextDraw(seed, 340, 8).lines(20_000).map(({ text, label }) => ({
    label,
    layout: book.partsOf(text).layout.id,
  }));
  const records = book.layouts.map(() => 0);
  for (const { layout } of lines) records[layout]!++;
  return { name: seed, layouts: book.layouts, records, lines };
}

/** The group of each line. */
export function groupsOf({ layouts, records, lines }: Prepared, weights?: Float64Array): string[] {
  const sets = new Sets(layouts.length);
  for (const { a, b } of groupLayouts(layouts, records, weights)) sets.join(a, b);
  return lines.map(({ layout }, at) => (layout < 0 ? `missing ${at}` : String(sets.of(layout))));
}

/** The places at which a source's forms differ, as they come when all is joined that is one statement, and nothing else. */
export function instancesOf({ layouts, records, lines }: Prepared): Instance[] {
  const votes = layouts.map(() => new Map<string, number>());
  for (const { label, layout } of lines)
    if (layout >= 0) votes[layout]!.set(label, (votes[layout]!.get(label) ?? 0) + 1);
  const labels = votes.map((own) => [...own].sort((a, b) => b[1] - a[1])[0]?.[0]);
  const instances: Instance[] = [];
  groupLayouts(layouts, records, undefined, (_, evidence, members) => {
    const counts = new Map<string | undefined, number>();
    for (const member of members) counts.set(labels[member], (counts.get(labels[member]) ?? 0) + 1);
    if (counts.has(undefined)) return -1;
    const pairs = (count: number): number => (count * (count - 1)) / 2;
    const same = [...counts.values()].reduce((sum, count) => sum + pairs(count), 0) / pairs(members.length);
    const total = members.reduce((sum, member) => sum + (records[member] ?? 1), 0);
    instances.push({ evidence, same, weight: Math.log2(1 + total) });
    return counts.size === 1 ? 1 : -1;
  });
  return instances;
}
