export const MARK_KINDS = ['known', 'worth reading', 'muted'] as const;
export type MarkKind = (typeof MARK_KINDS)[number];

/** What a person said of a pattern: how its surprise is weighed, and whether it is shown at all. */
export interface Mark {
  kind: MarkKind;
  pattern: string;
  reason: string;
  /** Its surprise is multiplied with this. */
  weight: number;
  /** Microseconds since 1970; it holds until then, for ever where absent. */
  until?: number;
}

/** The weight that a kind of mark has where none is given. */
export const MARK_WEIGHTS: Record<MarkKind, number> = { known: 0.25, 'worth reading': 2, muted: 1 };

/** The marks that hold at a moment, by the present id of their pattern; of several the last one given. */
export function marksAt(
  marks: readonly Mark[],
  now: number,
  idOf: (pattern: string) => string | undefined,
): Map<string, Mark> {
  const holding = new Map<string, Mark>();
  for (const mark of marks) {
    if (mark.until !== undefined && mark.until <= now) continue;
    const id = idOf(mark.pattern);
    if (id !== undefined) holding.set(id, mark);
  }
  return holding;
}
