import type { CaseBody, ReadBody, WindowBody } from './index.js';

export type CaseStatus = 'open' | 'watching' | 'closed';
export type StageName = 'before' | 'first sign' | 'spread' | 'peak' | 'recovery';
export type HypothesisVerdict = 'open' | 'likely' | 'ruled out';

/** What an investigation found, in a sentence, with the view that shows it. */
export interface FindingBody {
  kind: string;
  text: string;
  /** Path and parameters of the view behind it. */
  address: string;
  /** The figures that the sentence is made of. */
  told: Record<string, unknown>;
}

export interface EvidenceBody {
  /** A place in the findings. */
  finding: number;
  for: boolean;
}

export interface CauseBody {
  kind: string;
  text: string;
  certainty: 'likely' | 'possible' | 'a guess';
  evidence: EvidenceBody[];
  temporary: string;
  lasting: string;
  /** Id of a change that can be taken back. */
  change?: string;
}

export interface ConclusionBody {
  causes: CauseBody[];
  doubt: string[];
  next: string[];
}

export interface HypothesisBody {
  text: string;
  verdict: HypothesisVerdict;
  why: string;
}

export interface TimelineEntry {
  stage: StageName;
  time: string;
  text: string;
  /** True where it was put there by an investigation, and by nobody changed. */
  found?: boolean;
}

export interface RemedyBody {
  kind: 'temporary' | 'lasting';
  text: string;
  owner: string;
  done: boolean;
  helped: boolean;
}

/** What a case holds beside its pins. */
export interface CaseContents {
  status: CaseStatus;
  owner: string;
  /** Markdown. */
  notes: string;
  dataset: string;
  /** Of when it is about. */
  window?: WindowBody;
  baseline?: WindowBody;
  scope: string;
  /** The job whose runs it is about; empty where it is about requests. */
  job: string;
  findings: FindingBody[];
  conclusion?: ConclusionBody;
  hypotheses: HypothesisBody[];
  timeline: TimelineEntry[];
  remedies: RemedyBody[];
}

/** A past case that is like one. */
export interface SimilarCaseBody {
  id: number;
  name: string;
  status: CaseStatus;
  /** From 0 to 1. */
  likeness: number;
  shared: string[];
  helped: string[];
}

export interface CaseAnswer extends CaseBody {
  contents: CaseContents;
  similar: SimilarCaseBody[];
}

/** A change of a case; what is left out stays. */
export interface CaseChange {
  name?: string;
  contents?: Partial<CaseContents>;
}

export interface RecoveryAnswer {
  state: 'goes on' | 'recovered' | 'too early to say';
  since?: string;
  share: number;
  usual: number;
  p: number;
  all: number;
  /** Share that went wrong by step, from the focus on; null without requests. */
  from: string;
  step: number;
  values: (number | null)[];
}

/** What is to be investigated: the requests of a window, or the runs of a job in it. */
export interface InvestigationBody extends ReadBody {
  job?: string;
}

/** What is told while an investigation goes on: the question under way, and what was found so far. */
export interface InvestigationNews {
  question: string;
  done: number;
  of: number;
  findings: FindingBody[];
}

export interface InvestigationAnswer {
  findings: FindingBody[];
  conclusion: ConclusionBody;
  timeline: TimelineEntry[];
  /** A time before it began, where the baseline that was given lies within the trouble. */
  baseline?: WindowBody;
}
