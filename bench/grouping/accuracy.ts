/** How well a grouping agrees with labels. */
export interface Accuracy {
  lines: number;
  /** Share of lines whose whole group is right: the same lines are in the group as under the label. */
  strict: number;
  /** Harmonic mean of precision and recall over all pairs of lines. */
  pairwise: number;
  /** Share of the pairs in one group that have one label. */
  precision: number;
  /** Share of the pairs of one label that are in one group. */
  recall: number;
  groups: number;
  labels: number;
  /** Labels that no group matches, the one with most lines first, with the groups they fell into. */
  wrong: { label: string; lines: number; groups: Map<string, number>; sharedWith: Set<string> }[];
}

/** Compares groups with labels, line by line. */
export function accuracyOf(labels: readonly string[], groups: readonly string[]): Accuracy {
  const byLabel = new Map<string, Map<string, number>>();
  const byGroup = new Map<string, Map<string, number>>();
  const count = (map: Map<string, Map<string, number>>, key: string, inner: string): void => {
    let counts = map.get(key);
    if (!counts) map.set(key, (counts = new Map<string, number>()));
    counts.set(inner, (counts.get(inner) ?? 0) + 1);
  };
  labels.forEach((label, at) => {
    count(byLabel, label, groups[at]!);
    count(byGroup, groups[at]!, label);
  });
  const sizeOf = (counts: Map<string, number>): number =>
    [...counts.values()].reduce((sum, more) => sum + more, 0);
  const pairs = (size: number): number => (size * (size - 1)) / 2;
  let right = 0;
  let together = 0;
  let inLabels = 0;
  const wrong: Accuracy['wrong'] = [];
  for (const [label, found] of byLabel) {
    const lines = sizeOf(found);
    inLabels += pairs(lines);
    for (const shared of found.values()) together += pairs(shared);
    const [only] = found.keys();
    if (found.size === 1 && byGroup.get(only!)!.size === 1) right += lines;
    else {
      const sharedWith = new Set([...found.keys()].flatMap((group) => [...byGroup.get(group)!.keys()]));
      sharedWith.delete(label);
      wrong.push({ label, lines, groups: found, sharedWith });
    }
  }
  const inGroups = [...byGroup.values()].reduce((sum, counts) => sum + pairs(sizeOf(counts)), 0);
  return {
    lines: labels.length,
    strict: right / labels.length,
    pairwise: inLabels + inGroups === 0 ? 1 : (2 * together) / (inLabels + inGroups),
    precision: inGroups === 0 ? 1 : together / inGroups,
    recall: inLabels === 0 ? 1 : together / inLabels,
    groups: byGroup.size,
    labels: byLabel.size,
    wrong: wrong.sort((a, b) => b.lines - a.lines),
  };
}
