import type { MissingRecords, ReadBody, LogRecord } from './index.js';

/** How a request ended: `hidden` where something broke on the way and the answer was good all the same. */
export type OutcomeName = 'ok' | 'refused' | 'failed' | 'hidden';
export type RequestPreset = 'all' | 'failed' | 'refused' | 'hidden' | 'slow' | 'slow without error';
export type RequestOrder = 'newest' | 'oldest' | 'slowest' | 'fastest';

export interface RequestsSearchBody extends ReadBody {
  preset?: RequestPreset;
  order?: RequestOrder;
  /** Only requests of this operation. */
  service?: string;
  operation?: string;
  /** Seconds: the two lines that cut the requests into a slow and a fast cohort. */
  slower?: number;
  faster?: number;
  /** Only those of one cohort. */
  cohort?: 'slower' | 'faster';
  limit?: number;
  /** How many to leave out at the front. */
  offset?: number;
}

/** A request, by its first span. */
export interface RequestBody {
  trace: string;
  time: string;
  /** Seconds. */
  duration: number;
  outcome: OutcomeName;
  slow: boolean;
  /** HTTP status; absent without one. */
  status?: number;
  service: string;
  operation: string;
  /** Fields of its first span. */
  fields: Record<string, string>;
}

/** A count, told from those kept: the true one lies within, with 95%. */
export interface CountedBody {
  count: number;
  within: number;
}

export interface RequestTallyBody {
  kept: number;
  all: CountedBody;
  outcomes: Record<OutcomeName, CountedBody>;
  slow: CountedBody;
  access: Record<'read' | 'write' | 'unknown', { all: number; failed: number }>;
}

/** Durations of the requests of one step of time, in seconds. */
export interface StripBody {
  count: number;
  failed: number;
  quantiles?: [p10: number, p50: number, p90: number, p99: number, longest: number];
}

export interface OperationFiguresBody {
  kept: number;
  requests: number;
  failed: number;
  refused: number;
  /** Seconds; absent without requests. */
  p50?: number;
  p95?: number;
  p99?: number;
  longest?: number;
}

export interface OperationBody {
  service: string;
  operation: string;
  focus: OperationFiguresBody;
  baseline: OperationFiguresBody;
  /** Whether another share fails than in the baseline, beyond chance. */
  failsOtherwise: boolean;
}

export interface RequestsSearchAnswer {
  missing?: MissingRecords;
  requests: RequestBody[];
  /** Requests kept that the list holds in all. */
  matched: number;
  focus: RequestTallyBody;
  baseline?: RequestTallyBody;
  strips: { from: string; step: number; focus: StripBody[] };
  operations: OperationBody[];
  statuses: { status: number; focus: number; baseline: number }[];
  /** Requests on the far sides of the two lines. */
  cohorts?: { slower: CountedBody; faster: CountedBody };
}

/** One of several alike, and how many of its requests failed. */
export interface SpreadMemberBody {
  name: string;
  all: number;
  failed: number;
}

/** How the failing requests spread over the values of one thing. */
export interface SpreadBody {
  /** Field, with the service where it is that of one service: `instance of gull`. */
  what: string;
  field: string;
  service?: string;
  verdict: 'all alike' | 'a subset' | 'too few';
  members: SpreadMemberBody[];
  subset: string[];
  /** Part of all failures that the subset carries. */
  carries: number;
  p: number;
}

/** Where the failing of requests began. */
export interface OriginBody {
  service: string;
  operation: string;
  requests: number;
  of: number;
  passedOn: number;
  message: string;
}

/** A component of the time of requests. */
export interface MadeOfBody {
  service: string;
  operation: string;
  mean: number;
  median: number;
  spans: number;
  /** Part of the variance of the whole that goes with it. */
  share: number;
}

/** Asks where failing begins, how failures spread and what time is made of. */
export interface RequestsAnalysisBody extends ReadBody {
  service?: string;
  operation?: string;
}

export interface RequestsAnalysisAnswer {
  missing?: MissingRecords;
  /** Requests that were looked at, of so many. */
  looked: number;
  of: number;
  /** The first that failed after the share of the failing rose, where it did. */
  failingSince?: string;
  origins: OriginBody[];
  makeUp: MadeOfBody[];
  /** Subsets first, the least likely by chance first. */
  spread: SpreadBody[];
}

export interface RequestsWayBody extends ReadBody {
  preset?: RequestPreset;
}

/** A call by the requests on whose way it lies. */
export interface WayCallBody {
  from: string;
  to: string;
  requests: number;
  /** Requests in which it failed. */
  failed: number;
}

export interface RequestsWayAnswer {
  missing?: MissingRecords;
  /** Requests that were looked at, of so many that were kept. */
  looked: number;
  of: number;
  /** Those that most requests make first. */
  calls: WayCallBody[];
}

export type SpanKindName = 'unset' | 'internal' | 'server' | 'client' | 'producer' | 'consumer';

export interface SpanBody {
  id: string;
  /** Place of its parent in the list; absent for the first. */
  parent?: number;
  depth: number;
  service: string;
  operation: string;
  kind: SpanKindName;
  /** Seconds from the beginning of the request. */
  from: number;
  to: number;
  /** Seconds in which none of those below it ran. */
  own: number;
  failed: boolean;
  message?: string;
  /** Whom it asked, where that one records no spans. */
  peer?: string;
  /** Seconds that were added to its clock. */
  shifted?: number;
  /** Its parent is named but was not recorded. */
  orphan?: boolean;
  fields: Record<string, string>;
  events: { at: number; name: string; fields: Record<string, string> }[];
}

export interface AccountPartBody {
  kind: 'own' | 'call' | 'waiting' | 'unaccounted';
  who: string;
  /** Place of its span in the list. */
  span: number;
  from: number;
  to: number;
  where?: string;
}

/** One request in full. */
export interface RequestAnswer {
  trace: string;
  time: string;
  duration: number;
  outcome: OutcomeName;
  service: string;
  operation: string;
  /** Each before those below it. */
  spans: SpanBody[];
  /** Spans beyond those that are sent. */
  more: number;
  /** Adds up to the duration. */
  account: AccountPartBody[];
  /** What is wrong with the spans. */
  problems: string[];
  /** The log records of the request, the oldest first. */
  logs: LogRecord[];
}

export interface TwinDifferenceBody {
  kind: 'field' | 'calls' | 'time';
  what: string;
  own: string | number;
  twin: string | number;
  likeOwn: number;
}

/** The healthy request that is most like another. */
export interface TwinAnswer {
  /** Absent where no healthy request of the operation is near. */
  twin?: { trace: string; time: string; duration: number; likeness: number };
  /** Jobs beside whose runs requests of this operation are slow, where this one is. */
  beside: { job: string; slow: number; ofSlow: number; others: number; ofOthers: number }[];
  /** Healthy requests that it was chosen from. */
  among: number;
  differences: TwinDifferenceBody[];
}
