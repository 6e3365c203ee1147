/** So many from here and there come first. */
const SAMPLE = 16;

/** The same, with a few that are spread evenly before the others; what follows keeps its order, in which it is read best. */
export function sampleFirst<T>(all: readonly T[]): T[] {
  if (all.length <= SAMPLE) return [...all];
  const sample = new Set<number>();
  // However far one gets, what was taken is spread; the quarters first, which lie in both of two windows.
  for (const parts of [4, 2, 8, SAMPLE])
    for (let part = 1; part < parts; part += 2) sample.add(Math.floor((all.length * part) / parts));
  const others = all.filter((_, at) => !sample.has(at));
  return [...[...sample].map((at) => all[at]!), ...others];
}
