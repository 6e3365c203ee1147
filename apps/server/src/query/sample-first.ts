/** So many from here and there come first. */
const SAMPLE = 16;

/** The same, with a few that are spread evenly before the others; what follows keeps its order, in which it is read best. */
export function sampleFirst<T>(all: readonly T[]): T[] {
  if (all.length <= SAMPLE) return [...all];
  const sample = new Set<number>();
  // Halves, quarters, eighths, sixteenths: however far one gets, what was taken is spread.
  for (let parts = 2; parts <= SAMPLE; parts *= 2)
    for (let part = 1; part < parts; part += 2) sample.add(Math.floor((all.length * part) / parts));
  const others = all.filter((_, at) => !sample.has(at));
  return [...[...sample].map((at) => all[at]!), ...others];
}
