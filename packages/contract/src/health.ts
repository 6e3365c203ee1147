import type { MissingRecords, ReadBody } from './index.js';
import type { RequestTallyBody } from './requests.js';

/** A figure over the focus, judged by what was normal there before. */
export interface FigureBody {
  name: string;
  /** Seconds, parts of one, or the unit that its sender names. */
  unit: string;
  /** Mean over the focus; absent where nothing was measured. */
  value?: number;
  usual?: number;
  verdict: 'above' | 'below' | 'as usual' | 'unknown';
  /** The focus and as much before it, step by step; null where nothing was measured. */
  from: string;
  step: number;
  values: (number | null)[];
  low: (number | null)[];
  high: (number | null)[];
  /** Where it was outside what is normal: since when, its mean there and what is usual. */
  stretch?: { from: string; value: number; usual: number };
}

export interface HourBody {
  from: string;
  all: number;
  failed: number;
  read: { all: number; failed: number };
  write: { all: number; failed: number };
}

/** What is promised of requests. */
export interface ObjectiveBody {
  name: string;
  /** Of requests that begin at this service, and of this operation; of all where absent. */
  service?: string;
  operation?: string;
  /** Share that is to go well, such as 0.99. */
  target: number;
  /** For how many days it is promised. */
  days: number;
}

export interface Objective extends ObjectiveBody {
  id: number;
}

/** How an objective stands at the end of the focus. */
export interface ObjectiveState {
  objective: Objective;
  /** Over 5 minutes, an hour, 6 hours and 3 days. */
  burns: { seconds: number; all: number; failed: number; rate: number }[];
  /** What is left of the budget of the period, as far as requests are held: 1 untouched, below 0 overdrawn. */
  left: number;
  /** Seconds until it is used up if it goes on as in the last hour; absent where it does not burn. */
  lasts?: number;
}

/** Calls that an instance answered in the focus. */
export interface EntityHealth {
  service: string;
  instance: string;
  calls: number;
  failed: number;
  /** Seconds that 95% of them are under. */
  p95: number;
}

export interface HealthBody extends ReadBody {
  /** Share that may fail; 1% where absent. */
  tolerance?: number;
}

export interface HealthAnswer {
  missing?: MissingRecords;
  tolerance: number;
  focus: RequestTallyBody;
  baseline?: RequestTallyBody;
  figures: FigureBody[];
  business: FigureBody[];
  /** The 24 hours up to the end of the focus. */
  hours: HourBody[];
  /** When more than the tolerance failed, in the focus: of all requests, or where those bear it of one operation. */
  failing?: { operation?: string; share: number; from: string; to: string; goesOn: boolean };
  retried: { failed: number; again: number; recovered: number; sampled: boolean };
  objectives: ObjectiveState[];
  /** Those that fail most first. */
  entities: EntityHealth[];
  /** Runs that ended in the window, by job. */
  runs: { job: string; focus: RunCounts; baseline: RunCounts; stuck: number }[];
}

export interface RunCounts {
  done: number;
  'done with errors': number;
  failed: number;
  stopped: number;
}

/** A run that stays in a state for longer than is usual for its job. */
export interface StuckBody {
  run: string;
  job: string;
  state: string;
  /** Seconds. */
  time: number;
  usual: number;
}

/** A check of what stands, in plain words. */
export interface HealthCheck {
  name: string;
  passed: boolean;
  finding: string;
  /** What to do where it did not pass. */
  todo: string;
}

/** Availability step by step: the share of probes that went well, null where there were none. */
export interface AvailabilityLine {
  name: string;
  values: (number | null)[];
}

export interface ChecksAnswer {
  checks: HealthCheck[];
  availability: { from: string; step: number; lines: AvailabilityLine[] };
}

export interface SuspectBody extends ReadBody {
  service: string;
  /** What the suspect is: one of several of this. */
  field: 'instance' | 'host' | 'site' | 'service.version';
  value: string;
}

export interface FollowsBody {
  verdict: 'follows' | 'does not follow' | 'too few';
  own: number;
  others: number;
  p: number;
}

/** A suspect and its siblings side by side over the same figures. */
export interface SuspectAnswer {
  missing?: MissingRecords;
  failing: FollowsBody;
  slowness: FollowsBody;
  from: string;
  step: number;
  siblings: {
    name: string;
    calls: number;
    failed: number;
    /** Seconds; absent without calls. */
    p50?: number;
    p95?: number;
    /** Step by step; null without calls. */
    failedShare: (number | null)[];
    slowest: (number | null)[];
  }[];
}
