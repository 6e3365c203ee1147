import type {
  HealthAnswer,
  Objective,
  RequestAnswer,
  RequestOrder,
  RequestPreset,
  RequestsAnalysisAnswer,
  RequestsSearchAnswer,
  RequestsWayAnswer,
  SeriesSource,
  SuspectAnswer,
  SuspectBody,
  TwinAnswer,
} from '@flail/contract';
import type { Condition, PatternRecords, SlotPlaces, Window } from '@flail/core';
import type { RequestSeries } from '@flail/core/impact';
import type { Moved } from '@flail/core/onsets';
import type { Ran, ValueTally } from '@flail/core/requests';
import type { Regular, SeriesKind, Steps } from '@flail/core/series';
import type { MessagePort } from 'node:worker_threads';
import type { ContrastFound, ContrastQuestion } from '../contrast/contrast-requests.js';
import type { RunsContrastQuestion } from '../contrast/contrast-runs.js';
import type { MovedWithFound } from '../onsets/moved-with.js';
import type { TableRow } from '../onsets/series-table.js';
import type { BrokenSegment } from '../query/lane-tasks.js';

/** Records of one kind, and how the patterns that a filter names group them. */
export interface Body {
  segments: number[];
  patterns: Map<string, PatternRecords>;
  slots?: SlotPlaces;
}

/** What every question about requests carries. */
export interface Subject {
  window: Window;
  baseline?: Window;
  /** Where the data set is shown to, when it is played back. */
  until: number;
  /** What the asker may see. */
  visible: Condition;
  scope: Condition;
  spans: Body;
  logs: Body;
}

/** Which requests of the subject, and in which order. */
export interface ListQuestion {
  kind: 'list';
  preset: RequestPreset;
  order: RequestOrder;
  service?: string;
  operation?: string;
  slower?: number;
  faster?: number;
  cohort?: 'slower' | 'faster';
  limit: number;
  offset: number;
  steps: number;
}

/** What lies behind the failing and the time of requests. */
export interface WayQuestion {
  kind: 'way';
  preset: RequestPreset;
}

export interface AnalysisQuestion {
  kind: 'analysis';
  service?: string;
  operation?: string;
}

/** Requests by the values of a field: which of them go wrong. */
export interface ByFieldQuestion {
  kind: 'by field';
  field: string;
  wrong: 'failed' | 'refused' | 'slow';
  service?: string;
  operation?: string;
}

/** One request in full. */
export interface OneQuestion {
  kind: 'one';
  trace: string;
}

/** The healthy request most like one. */
export interface TwinQuestion {
  kind: 'twin';
  trace: string;
  /** What ran at that time. */
  runs: Ran[];
}

/** When a request began. */
export interface MomentQuestion {
  kind: 'moment';
  trace: string;
}

/** How requests went, by what is normal and what was promised. */
export interface OverviewQuestion {
  kind: 'overview';
  tolerance: number;
  /** Seconds. */
  step: number;
  objectives: Objective[];
}

/** One of several alike, against the others. */
export interface SuspectQuestion {
  kind: 'suspect';
  service: string;
  field: SuspectBody['field'];
  value: string;
}

/** A series that is read into the table of all series. */
export interface TableMember {
  id: number;
  metric: string;
  unit: string;
  kind: SeriesKind;
  total: boolean;
  labels: Record<string, string>;
  /** Points that are in no chunk yet, as they came. */
  fresh: Uint8Array[];
}

/** What a look through all series is made of. */
export interface TableAsked {
  steps: Steps;
  members: TableMember[];
  /** How far it has got; shared with who asked. */
  progress: SharedArrayBuffer;
}

/** All series, for what left its normal range. */
export interface OnsetsQuestion extends TableAsked {
  kind: 'onsets';
}

/** All series, for what moved as one did. */
export interface MovedWithQuestion extends TableAsked {
  kind: 'moved with';
  source: SeriesSource;
  target: Regular;
  /** Series that are no metrics and no figures of requests. */
  more: TableRow[];
  compared: Window;
}

/** A figure of requests over time. */
export interface FiguresQuestion {
  kind: 'figures';
  service?: string;
  operation?: string;
  steps: Steps;
}

export type RequestsQuestion =
  | OnsetsQuestion
  | MovedWithQuestion
  | ContrastQuestion
  | RunsContrastQuestion
  | FiguresQuestion
  | SuspectQuestion
  | ListQuestion
  | ByFieldQuestion
  | AnalysisQuestion
  | WayQuestion
  | OverviewQuestion
  | OneQuestion
  | TwinQuestion
  | MomentQuestion;

export interface RequestsAnswers {
  list: Omit<RequestsSearchAnswer, 'missing'>;
  analysis: Omit<RequestsAnalysisAnswer, 'missing'>;
  'by field': { looked: number; of: number; values: ValueTally[] };
  /** Null where there is no such request. */
  one: Omit<RequestAnswer, 'logs'> | null;
  twin: TwinAnswer | null;
  moment: number | null;
  way: Omit<RequestsWayAnswer, 'missing'>;
  suspect: Omit<SuspectAnswer, 'missing'>;
  onsets: { moved: Moved[]; scanned: number };
  'moved with': MovedWithFound;
  contrast: ContrastFound;
  'contrast runs': ContrastFound;
  figures: RequestSeries;
  overview: Omit<HealthAnswer, 'missing' | 'business' | 'runs'>;
}

export interface RequestsTask {
  task: 'requests';
  subject: Subject;
  question: RequestsQuestion;
  /** Where what is found on the way is sent to. */
  news?: MessagePort;
}

/** Reads which requests begin in a segment, for those who may ask about them. */
export interface ReadAheadTask {
  task: 'read ahead';
  segment: number;
}

export type AnalysisTask = RequestsTask | ReadAheadTask | { task: 'close' };

export type AnalysisAnswer =
  { value: unknown; broken: BrokenSegment[] } | { gone: number } | { broken: string };
