/** What a feature is of. */
export type FeatureKind = 'field' | 'calls' | 'time' | 'pattern' | 'slot' | 'metric' | 'run';

/** What a feature is called, and where it was seen. */
export interface FeatureName {
  kind: FeatureKind;
  /** Field, operation, metric, job; of patterns and slots the words of the pattern. */
  name: string;
  /** Where it belongs to one service on the way. */
  service?: string;
  unit?: string;
  /** Field whose value is JSON, where it is a part of that. */
  inside?: string;
  /** Id of the pattern, and place of the slot in it, from 1. */
  pattern?: string;
  slot?: number;
}

/** What a feature is of each item: a value of several, a number, or whether something is there. */
export type Column =
  | { of: 'categories'; codes: Int32Array; values: readonly string[] }
  | { of: 'numbers'; values: Float64Array }
  | { of: 'flags'; set: Uint8Array };

export interface Feature {
  name: FeatureName;
  column: Column;
}

/** Items of two cohorts with what is known of each: the failing against the healthy, or whatever else is told apart. */
export interface CohortTable {
  /** 1 for items of the first cohort, 0 for those of the second. */
  failing: Uint8Array;
  /** How many each stands for, where only some are kept. */
  weights: Float64Array;
  /** What tells them apart from each other: ids by which a part is held back for checking. */
  ids: readonly string[];
  features: readonly Feature[];
}

export const KIND_ORDER: readonly FeatureKind[] = [
  'field',
  'run',
  'pattern',
  'slot',
  'calls',
  'metric',
  'time',
];

/** One text for a feature, the same for the same. */
export const featureKey = ({ kind, name, service = '', pattern = '', slot = 0 }: FeatureName): string =>
  `${KIND_ORDER.indexOf(kind)}\n${name}\n${service}\n${pattern}\n${slot}`;
