/** What came of an attack. */
export interface Outcome {
  /** Whether what was promised held. */
  held: boolean;
  what: string;
}

/** Something that may go wrong, and what is promised then. */
export interface Attack {
  name: string;
  promise: string;
  /** Runs it on a store of its own; says what happened. */
  run: () => Promise<Outcome>;
}
