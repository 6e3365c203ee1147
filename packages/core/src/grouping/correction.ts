/**
 * What a person said about the grouping. Corrections are rules above storage: they hold for what is stored
 * and for what will come, and taking one back leaves everything as it was.
 */
export type Correction =
  /** These patterns are one. */
  | { kind: 'join'; patterns: string[] }
  /** The word at a place of these texts is a value; `form` is the text's form with a slot at that place. */
  | { kind: 'slot'; pattern: string; form: string }
  /** The values of this slot (counted from 0) are part of what is said: each makes a pattern of its own, or only those named do. */
  | { kind: 'split'; pattern: string; slot: number; values?: string[] }
  /** This layout is a statement of its own, whatever it looks like. */
  | { kind: 'apart'; pattern: string; layout: string }
  /** What people call a pattern. */
  | { kind: 'name'; pattern: string; name: string };
