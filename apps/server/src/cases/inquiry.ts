import type { Window } from '@flail/core';
import type { Finding } from '@flail/core/cases';

/** A finding with the address of the view behind it. */
export interface Found {
  finding: Finding;
  address: string;
}

/** The questions that are asked of some trouble, in their order. */
export interface Inquiry {
  steps: readonly { question: string; ask: () => Promise<Found[]> }[];
  /** A good time before it began, as far as the questions brought one. */
  baseline?: () => Window | undefined;
}
