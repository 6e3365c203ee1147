import type { ProgressBody } from './onsets.js';
import type { MissingRecords, ReadBody, SentencePart, WindowBody } from './index.js';
import type { OutcomeName } from './requests.js';

export type ContrastItems = 'requests' | 'runs';

/** What makes a cohort of requests. `wrong` is whatever went wrong more than in the baseline: failed, refused or slow. */
export type CohortPreset = 'wrong' | 'failed' | 'refused' | 'hidden' | 'slow' | 'ok' | 'all';

/** A cohort; all that is given has to hold. */
export interface CohortBody {
  preset?: CohortPreset;
  /** A filter of its own, beside the scope. */
  scope?: string;
  /** A window of its own. */
  window?: WindowBody;
  service?: string;
  operation?: string;
  /** Seconds: requests slower, or faster, than this. */
  slower?: number;
  faster?: number;
  /** Of runs: the job. */
  job?: string;
}

export interface ContrastBody extends ReadBody {
  items?: ContrastItems;
  /** Those that are looked into; what went wrong where nothing is given. */
  first?: CohortBody;
  /** Those that they are told apart from; what went well where nothing is given. */
  second?: CohortBody;
}

export type FeatureKindName = 'field' | 'calls' | 'time' | 'pattern' | 'slot' | 'metric' | 'run';

/** What a feature is of; patterns with their words. */
export interface FeatureBody {
  kind: FeatureKindName;
  name: string;
  service?: string;
  unit?: string;
  /** Field whose value is JSON, where it is a part of that. */
  inside?: string;
  pattern?: string;
  slot?: number;
  sentence?: SentencePart[];
}

/** What is asked of a feature. */
export interface TermBody {
  feature: FeatureBody;
  is: 'in' | 'range' | 'present' | 'absent';
  values?: string[];
  low?: number;
  high?: number;
}

/** How many of both cohorts something holds of, of those kept. */
export interface HeldBody {
  failing: number;
  failingAll: number;
  healthy: number;
  healthyAll: number;
}

export interface DifferenceBody extends HeldBody {
  term: TermBody;
  /** Share of the first cohort less that of the second, with its interval of 95%. */
  apart: number;
  low: number;
  high: number;
  p: number;
  /** Terms of other features that hold of nearly the same items. */
  with: TermBody[];
}

export type ContrastVerdict =
  'tells them apart' | 'tells most of them apart' | 'tells a part of them apart' | 'is a hint';

export interface SignatureBody extends HeldBody {
  terms: TermBody[];
  coverage: number;
  coverageIn: [low: number, high: number];
  purity: number;
  purityIn: [low: number, high: number];
  p: number;
  verdict: ContrastVerdict;
  check: HeldBody & { verdict: 'confirmed' | 'not confirmed' | 'too few to check' };
  /** As a filter for other views; absent where none of it can be said as one. */
  expression?: string;
  /** Terms that the expression does not say. */
  unsaid: number;
  firstSeen: string;
  lastSeen: string;
  /** Ids of items: those that it holds of, healthy ones that it holds of too, and failing ones that it does not. */
  samples: string[];
  counterHealthy: string[];
  counterFailing: string[];
  /** First line of a stack that is the sender's own, of a sample. */
  frame?: string;
}

/** Told while two cohorts are told apart: how far it is, and once what fields and calls alone set apart. */
export interface ContrastNews extends Partial<ProgressBody> {
  differences?: DifferenceBody[];
}

/** A line that was new before the failing began. */
export interface EarlyLineBody {
  pattern: string;
  sentence: SentencePart[];
  service: string;
  time: string;
  text: string;
  shared: { value: string; of: string }[];
}

export interface ContrastAnswer {
  missing?: MissingRecords;
  items: ContrastItems;
  first: CohortBody & { count: number; kept: number; used: number; outcome?: OutcomeName | 'slow' };
  second: CohortBody & { count: number; kept: number; used: number };
  /** No more of the first cohort went wrong than in the baseline, as far as can be told (p above 1%). */
  usual?: boolean;
  /** When the first of the first cohort was seen. */
  onset?: string;
  /** Services on their way. */
  path: string[];
  differences: DifferenceBody[];
  /** Where the time of the two differs. */
  times: DifferenceBody[];
  setAside: { feature: FeatureBody; why: string }[];
  signatures: SignatureBody[];
  /** Features that were looked at, and descriptions that were tried. */
  features: number;
  tried: number;
  early: EarlyLineBody[];
  /** What was not recorded, so that it could not be looked at. */
  lacking: string[];
}
