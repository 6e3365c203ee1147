import type { LogRecord, RunBody, RunStateName } from './index.js';
import type { StuckBody } from './health.js';
import type { SpreadMemberBody } from './requests.js';

export interface StrokeBody {
  run: string;
  time: string;
  /** Seconds; so far, where it goes on. */
  seconds: number;
  state: RunStateName;
}

/** The runs of a job, a line for each value of the parameter in which failing ones differ most from others. */
export interface JobTallyBody {
  job: string;
  /** Empty where no parameter has a few values. */
  parameter: string;
  lines: { value: string; strokes: StrokeBody[]; failed: number; withErrors: number }[];
  runs: number;
  failed: number;
  withErrors: number;
  spread: {
    verdict: 'all alike' | 'a subset' | 'too few';
    subset: string[];
    members: SpreadMemberBody[];
    carries: number;
    p: number;
  };
}

export interface RunsTallyAnswer {
  jobs: JobTallyBody[];
  stuck: StuckBody[];
  /** What can be done to runs through the scheduler. */
  actions: ('stop' | 'retry')[];
}

export interface RunPartBody {
  kind: 'waiting' | 'starting' | 'work' | 'overhead';
  step: string;
  from: string;
  to: string;
}

export interface RunDifferenceBody {
  kind: 'parameter' | 'step' | 'time' | 'usage' | 'place';
  what: string;
  own: string;
  good: string;
}

/** One run in full. */
export interface RunAnswer extends RunBody {
  /** Adds up to its length; up to the newest that is held for one that goes on. */
  account: RunPartBody[];
  stuck?: StuckBody;
  good?: RunBody;
  differences: RunDifferenceBody[];
  children: { id: string; job: string; state: RunStateName }[];
  /** Its lines, the oldest first. */
  logs: LogRecord[];
  /** Lines there are in all. */
  matched: number;
  actions: ('stop' | 'retry')[];
}
