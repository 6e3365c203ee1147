import type { ReadBody, WindowBody } from './index.js';

export interface QuestionBody extends ReadBody {
  question: string;
  /** Questions that were asked before it, the first first: what it leaves out is taken from them. */
  earlier?: string[];
}

/** A table that answers, or a sentence alone. */
export interface QuestionPartBody {
  text: string;
  columns?: string[];
  rows?: (string | number)[][];
  /** Rows that are left out. */
  more?: number;
  /** The view that shows it, and its name. */
  view: string;
  address: string;
}

export interface QuestionAnswer {
  /** Absent where no question was understood. */
  understood?: {
    /** What is computed, in words. */
    sentence: string;
    /** The same as an expression, where it is one: a filter, or a filter with steps. */
    expression: string;
    window: WindowBody;
    /** What the question left out, and what was asked before said. */
    carried: string[];
  };
  /** Words that nothing was made of. */
  unread: string[];
  parts: QuestionPartBody[];
  /** Questions that can be asked here. */
  suggestions: string[];
}
