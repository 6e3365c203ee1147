import type { CaseStatus } from './cases.js';
import type { ProgressBody } from './onsets.js';
/** Types of requests and answers of the HTTP API under `/api/v1`, shared by server and web. */

/** A stretch of time: two moments in RFC 3339. The end is not part of it. */
export interface WindowBody {
  from: string;
  to: string;
}

/** What every read may carry. */
export interface ReadBody {
  /** The focus, where there is a baseline. */
  window: WindowBody;
  baseline?: WindowBody;
  /** Filter expression; empty for all records. */
  scope?: string;
  /** Data set; `live` where none is named. */
  dataset?: string;
}

export type LogOrder = 'newest' | 'oldest';
export type PatternOrderName = 'surprise' | 'common' | 'rare' | 'latest' | 'changed';
export type LevelName = 'unset' | 'trace' | 'debug' | 'info' | 'warn' | 'error' | 'fatal';

export interface LogsSearchBody extends ReadBody {
  order?: LogOrder;
  limit?: number;
  cursor?: string;
}

export interface LogRecord {
  id: string;
  /** Its place, from where a page may begin. */
  cursor: string;
  /** RFC 3339 with microseconds, in UTC. */
  time: string;
  level: LevelName;
  service: string;
  source: string;
  text: string;
  /** Start and end of each slot in the text, for showing what varies. */
  slots: [start: number, end: number][];
  pattern: string;
  /** All fields of the line and of its sender. */
  fields: Record<string, string>;
  /** The line as it was received (bytes that are no UTF-8 replaced). */
  line: string;
}

/** What an answer lacks, and why. */
export interface MissingRecords {
  segments: number;
  records: number;
  reason: string;
}

export interface LogsSearchAnswer {
  missing?: MissingRecords;
  records: LogRecord[];
  /** Where the next page begins; absent on the last one. */
  cursor?: string;
  matched: number;
}

/** What is told of a search on the way: how far it is, and records of its page, from a place on, that are certain. */
export type SearchNews = (ProgressBody & { matched: number }) | { from: number; records: LogRecord[] };

/** How many records an expression matches, and what would widen an empty result. */
export interface CountAnswer {
  missing?: MissingRecords;
  focus: number;
  baseline: number;
  /** In all the time held. */
  anyTime: number;
  /** In focus and baseline when the scope is left out. */
  unscoped: { focus: number; baseline: number };
}

export interface PatternsSearchBody extends ReadBody {
  order?: PatternOrderName;
  limit?: number;
  /** About how many patterns; as many as the grouping believes in where absent. */
  grain?: number;
}

export type MarkKindName = 'known' | 'worth reading' | 'muted';

export type PatternChange = 'first seen' | 'new here' | 'ceased' | 'more' | 'less' | 'as before';

/** A piece of a pattern's sentence: constant text, or a slot holding a typical value. */
export type SentencePart = { text: string } | { slot: string; type: string };

export interface PatternSummary {
  id: string;
  sentence: SentencePart[];
  focus: number;
  baseline: number;
  /** Records before the focus, in all the time held. */
  earlier: number;
  /** Baseline count stretched to the length of the focus. */
  expected: number;
  change: PatternChange;
  /** Focus rate divided by baseline rate; absent where the baseline has none. */
  lift?: number;
  /** Bits; see docs/surprise.md. */
  surprise: number;
  level: LevelName;
  services: string[];
  firstSeen: string;
  lastSeen: string;
  /** Counts over equal steps of the focus, and over those of the baseline. */
  trend: number[];
  baselineTrend: number[];
  /** What people call it. */
  name?: string;
  mark?: { kind: MarkKindName; reason: string; weight: number };
}

export interface PatternsSearchAnswer {
  missing?: MissingRecords;
  patterns: PatternSummary[];
  /** Patterns found in focus or baseline, shown or not. */
  total: number;
  matched: { focus: number; baseline: number };
  /** How many of the patterns changed in each way. */
  changes: Record<PatternChange, number>;
  /** Records of those patterns, which add up to all that matched. */
  changedRecords: Record<PatternChange, { focus: number; baseline: number }>;
  /** How many patterns these are, and how many the grouping itself believes in. */
  grain: { patterns: number; own: number };
  /** What marks hide. */
  muted: { patterns: number; focus: number };
}

/** One pattern, looked at closely. */
export interface PatternAnswer {
  id: string;
  name?: string;
  /** That of its first form, slots by their type. */
  sentence: SentencePart[];
  /** Forms (layouts) that belong to it. */
  forms: number;
  /** Its slots, in order; the first is `slot.1` in expressions. */
  slots: (FieldDifferenceBody & { type: string; name: string })[];
  joined: PatternJoin[];
  /** What it would join next, were fewer patterns wanted. */
  next?: { pattern: string; sentence: SentencePart[]; likeness: number };
}

/** Two forms that became one pattern, and why. */
export interface PatternJoin {
  /** Id of the form that joined. */
  layout: string;
  sentence: SentencePart[];
  to: SentencePart[];
  /** 1 is just enough. */
  belief: number;
  reason: string;
}

export interface SummaryBody extends Omit<ReadBody, 'scope'> {
  expression: string;
}

export interface SummaryColumn {
  name: string;
  kind: 'group' | 'time' | 'value';
  /** Seconds, bytes, parts of one, or records a second. */
  unit?: 's' | 'B' | 'share' | '/s';
  /** For estimates: relative error that they keep to (for distinct: its standard error). */
  error?: number;
}

/** How a question was answered. */
export interface HowAnswered {
  /** Segments looked at, and those left out by their time. */
  segments: number;
  skipped: number;
  /** Column blocks read, and their bytes; others were still unpacked in memory. */
  blocks: number;
  bytes: number;
  /** Patterns that the filter names. */
  patterns: number;
  milliseconds: number;
}

export interface SummaryAnswer {
  missing?: MissingRecords;
  columns: SummaryColumn[];
  rows: (string | number | null)[][];
  matched: number;
  /** The same table of the baseline, neither filtered nor cut by the steps. */
  baselineRows?: (string | number | null)[][];
  baselineMatched?: number;
  /** Records whose group was left out since there were too many. */
  left?: number;
  /** Rows there would be; only the first 10,000 are sent. */
  cut?: number;
  how: HowAnswered;
}

export interface FieldsBody extends ReadBody {
  limit?: number;
}

export interface ValueDifferenceBody {
  value: string;
  focus: number;
  baseline: number;
  lift?: number;
  /** 95% limits of the lift. */
  interval: [low: number, high: number];
  p: number;
  significant: boolean;
}

/** How a field differs between focus and baseline. */
export interface FieldDifferenceBody {
  field: string;
  focus: number;
  baseline: number;
  distinct: number;
  /** Set where values were too many to be kept: then there are at least so many, and of the rare ones not all records are counted. */
  more?: true;
  identifier: boolean;
  divergence: number;
  values: ValueDifferenceBody[];
  shift?: {
    focus: { median: number; p95: number };
    baseline: { median: number; p95: number };
    unit: 'number' | 'duration' | 'size';
    above: number;
    p: number;
    significant: boolean;
  };
}

export interface FieldsAnswer {
  missing?: MissingRecords;
  fields: FieldDifferenceBody[];
}

/** Fields by what has been counted of a long question so far; what is counted is told in segments. */
export type FieldsNews = ProgressBody & Pick<FieldsAnswer, 'fields'>;

/** Whether records come at regular intervals. Lengths in seconds. */
export interface RegularityAnswer {
  events: number;
  periodic: boolean;
  p: number;
  period?: number;
  jitter?: number;
  missed?: string[];
  beats?: number;
  onBeat?: number;
}

/** A correction of the grouping; see docs/patterns.md for what each kind means. */
export interface CorrectionBody {
  kind: 'join' | 'slot' | 'split' | 'apart' | 'name';
  pattern?: string;
  patterns?: string[];
  word?: string;
  occurrence?: number;
  form?: string;
  slot?: number;
  values?: string[];
  layout?: string;
  name?: string;
}

export interface MarkBody {
  kind: MarkKindName;
  pattern: string;
  reason?: string;
  weight?: number;
  /** RFC 3339. */
  until?: string;
}

export interface KeptCorrection {
  id: number;
  rule: CorrectionBody;
  at: string;
  /** When it was taken back; absent while it holds. */
  undoneAt?: string;
}

export interface KeptMark {
  id: number;
  rule: MarkBody;
  at: string;
  undoneAt?: string;
}

/** What a correction would change: patterns that would go, patterns that would come, and the records in them. */
export interface CorrectionPreview {
  from: string[];
  to: string[];
  records: number;
}

/** Corrections and marks, to be carried to another store. */
export interface RulesBundle {
  version: 1;
  corrections: CorrectionBody[];
  marks: MarkBody[];
}

export interface VolumeAnswer {
  missing?: MissingRecords;
  /** The window counted; the whole time held where none was asked for. Absent when nothing is held. */
  window?: WindowBody;
  total: number[];
  /** Records at level error and above. */
  errors: number[];
}

/** A stretch in which more records than usual are errors. */
export interface ExcessPeriod {
  window: WindowBody;
  errors: number;
  total: number;
  /** Share of errors at other times. */
  usual: number;
  /** True when it lasts to the end of what is held. */
  goesOn: boolean;
}

export interface ExcessAnswer {
  /** The latest first. */
  periods: ExcessPeriod[];
}

export interface CompleteAnswer {
  fields?: string[];
  values?: { value: string; count: number }[];
}

export interface SourceSummary {
  name: string;
  /** Whether it sends lines or the spans of requests. */
  signal: 'logs' | 'spans';
  format: string;
  /** True where a person said so. */
  corrected: boolean;
  records: number;
  malformed: number;
  bytes: number;
  lastSeen: string;
  /** The time that its records cover. */
  window?: WindowBody;
  /** Records a second in the last five minutes, and by level in the last hour. */
  rate: number;
  levels: Partial<Record<LevelName, number>>;
  /** Seconds by which its newest record was ahead of its arrival; below nought, behind. */
  ahead?: number;
  /** What is wrong with lines, with one of each kind. */
  problems: { message: string; count: number; sample?: string }[];
  /** What a person should look at. */
  warnings: string[];
  /** For how long, or how many bytes of, its records are kept; absent where without limit. */
  retention?: RetentionBody;
}

/** The columns of lines of CSV. */
export interface ColumnsBody {
  delimiter: string;
  names: string[];
  /** Fields that columns stand for, such as `time` or `text`, by the name of the column. */
  as?: Record<string, string>;
}

/** How lines of a source are to be read. */
export interface ReadingBody {
  format: string;
  /** For CSV. */
  columns?: ColumnsBody;
  /** For plain text. */
  heads?: FormatPreview['heads'];
}

/** What lines of a source would become in a format. */
export interface FormatPreview {
  format: string;
  /** For CSV: as they are known, or else as its first line has them. */
  columns?: ColumnsBody;
  /** For plain text: the columns that lines open with before their text, in order; for each kind of line a list. */
  heads?: readonly (readonly string[])[];
  /** How many of the lines are of the format. */
  read: number;
  lines: {
    line: string;
    read: boolean;
    time?: string;
    level: LevelName;
    text: string;
    fields: Record<string, string>;
  }[];
}

export interface RetentionBody {
  maxAgeHours?: number;
  maxBytes?: number;
}

export interface IntakeProblem {
  code: string;
  message: string;
  count: number;
  /** 0 where the problem is not one of a line. */
  firstLine: number;
  /** The beginning of that line. */
  sample?: string;
}

export interface IntakeAnswer {
  accepted: number;
  malformed: number;
  /** Format that the lines were read in. */
  format: string;
  /** True when this batch had been stored before, under the same Idempotency-Key. */
  repeated: boolean;
  /** Time of the first and the last record; absent when there was none. */
  window?: WindowBody;
  problems: IntakeProblem[];
}

/** What the store holds of a data set. */
export interface DatasetSummary {
  id: string;
  name: string;
  /** Lines that are held. */
  records: number;
  /** Spans of requests. */
  spans: number;
  /** Time of the first and the last line or span, shown or not; without those, of what was measured; absent when it is empty. */
  window?: WindowBody;
  /** Windows and scope that it was kept for, as parameters of a view; empty where none came with it. */
  view: string;
  /** True for the one that senders send to. */
  live: boolean;
  /** False while a bundle is being opened into it. */
  ready: boolean;
  /** Given where it is played back. */
  replay?: ReplayBody;
}

/** How a data set is played back: only what comes before the position is shown. */
export interface ReplayBody {
  playing: boolean;
  /** Seconds of its time that pass in a second. */
  speed: number;
  position: string;
}

/** A change of how it is played back; what is left out stays. Without a replay all of it is shown. */
export interface ReplayChange {
  playing?: boolean;
  speed?: number;
  position?: string;
}

/** What came of a file of a bundle. */
export interface OpenedFile {
  file: string;
  kind: string;
  accepted: number;
  malformed: number;
  problems: string[];
}

/** A bundle that was opened as a data set. */
export interface OpenedBundle {
  dataset: string;
  name: string;
  view: string;
  files: OpenedFile[];
  /** The case that came with it. */
  case?: { id: number; name: string };
}

/** Errors are problem details as of RFC 9457. */
export interface ProblemBody {
  type: string;
  title: string;
  status: number;
  detail: string;
  /** Short name of the problem, for programs. */
  code: string;
  /** For expressions: what part is wrong. */
  position?: { from: number; to: number };
  /** For requests with several faults. */
  errors?: string[];
}

/** A number that is measured again and again, over all that are told apart by labels. */
export interface MetricSummary {
  metric: string;
  unit: string;
  kind: 'gauge' | 'sum' | 'histogram';
  series: number;
  /** Labels with their values, the commonest labels first. */
  labels: { name: string; values: string[]; more: number }[];
}

export interface MetricsSearchAnswer {
  metrics: MetricSummary[];
  total: number;
}

export type AggregateName = 'avg' | 'min' | 'max' | 'sum' | 'rate' | 'count' | 'p50' | 'p90' | 'p95' | 'p99';

export interface MetricsQueryBody {
  window: WindowBody;
  metric: string;
  /** Only series whose labels have one of the values given. */
  where?: Record<string, string[]>;
  /** A line for each combination of the values of these labels; one line for all where absent. */
  by?: string[];
  aggregate?: AggregateName;
  /** About how many points of time. */
  points?: number;
  dataset?: string;
}

/** Numbers over time; null where nothing was measured. */
export interface SeriesLine {
  labels: Record<string, string>;
  /** Series that it is made of. */
  members: number;
  values: (number | null)[];
  /** The smallest and the largest single measurement of each step; absent for what is no level. */
  min?: (number | null)[];
  max?: (number | null)[];
}

export interface MetricsQueryAnswer {
  missing?: MissingRecords;
  metric: string;
  unit: string;
  kind: 'gauge' | 'sum' | 'histogram';
  aggregate: AggregateName;
  /** Start of the first step, and seconds of each. */
  from: string;
  step: number;
  lines: SeriesLine[];
  /** Lines that were left out since there were too many. */
  more: number;
  exemplars: { time: string; value: number; trace?: string; span?: string; labels: Record<string, string> }[];
}

/** What became of events that were sent. */
export interface EventsAnswer {
  accepted: number;
  malformed: number;
  /** Events (by their place, from 0) that are none, and why; the first of them. */
  problems: { event: number; message: string }[];
}

/** Something that was changed. */
export interface ChangeBody {
  id: string;
  source: string;
  time: string;
  kind: string;
  title: string;
  /** Service, instance, host, site. */
  entity: Record<string, string>;
  /** What its sender tells of it: from, to, by, key… */
  details: unknown;
}

export interface ChangesSearchAnswer {
  changes: ChangeBody[];
  total: number;
  /** What can be asked of a change; nothing where no change control is set. */
  actions: 'revert'[];
}

export type RunStateName =
  'waiting' | 'starting' | 'running' | 'done' | 'done with errors' | 'failed' | 'stopped';

/** A run of a job. */
export interface RunBody {
  id: string;
  namespace: string;
  job: string;
  state: RunStateName;
  states: { state: RunStateName; time: string }[];
  from: string;
  to?: string;
  parent?: { id: string; job: string };
  trigger?: string;
  nominal?: string;
  parameters: Record<string, string>;
  steps: {
    name: string;
    state: RunStateName;
    after: string[];
    from?: string;
    to?: string;
    worker?: string;
    error?: string;
  }[];
  workers: { name: string; host?: string; from?: string; to?: string }[];
  usage: { cpuSeconds?: number; memoryBytes?: number; recordsIn?: number; recordsOut?: number };
  inputs: string[];
  outputs: string[];
  error?: { message: string; stack?: string };
  entity: Record<string, string>;
}

export interface RunsSearchAnswer {
  runs: RunBody[];
  total: number;
}

/** Where something runs: an instance of a service on a host of a site. Parts that senders do not tell are absent. */
export interface EntityBody {
  service: string;
  instance?: string;
  host?: string;
  site?: string;
  /** Lines and spans of it in the window. */
  records: number;
}

/** What one service asked of another. */
export interface CallBody {
  from: string;
  to: string;
  calls: number;
  failed: number;
  /** Seconds, on average. */
  duration: number;
  /** Seconds that 95% are under. */
  p95: number;
}

/** What runs where, and who calls whom, as the signals of a window tell. */
export interface TopologyAnswer {
  entities: EntityBody[];
  calls: CallBody[];
  /** The part of the window that the calls are told from, where it holds too many spans for all of it. */
  callsFrom?: string;
}

/** An expression that somebody keeps. */
export interface SavedExpression {
  id: number;
  name: string;
  expression: string;
  owner: string;
  /** Whether all others see it too. */
  shared: boolean;
  at: string;
}

export interface SavedExpressionBody {
  name: string;
  expression: string;
  shared?: boolean;
}

/** Two cohorts that are kept under a name, as the parameters of the view that tells them apart. */
export interface SavedCohorts {
  id: number;
  name: string;
  parameters: string;
  owner: string;
  /** Whether all others see them too. */
  shared: boolean;
  at: string;
}

export interface SavedCohortsBody {
  name: string;
  parameters: string;
  shared?: boolean;
}

/** An investigation, and how much is pinned in it. */
export interface CaseBody {
  id: number;
  name: string;
  at: string;
  pins: number;
  status: CaseStatus;
  owner: string;
}

export type PinKind = 'line' | 'pattern' | 'chart' | 'window' | 'change' | 'signature';

/** Something worth keeping, with the address of the view that shows it. */
export interface PinBody {
  kind: PinKind;
  title: string;
  /** Path and parameters of the view, with windows, scope and selection. */
  address: string;
  note?: string;
  /** What was seen then. */
  seen?: Record<string, unknown>;
}

export interface Pin extends Required<Omit<PinBody, 'seen'>> {
  id: number;
  seen?: Record<string, unknown>;
  at: string;
}

/** Lines of one pattern from one source, and what they cost. */
export interface NoiseRow {
  pattern: string;
  sentence: SentencePart[];
  name?: string;
  level: LevelName;
  source: string;
  records: number;
  /** Bytes as received. */
  bytes: number;
  /** True where every line was measured; else the bytes are told from a sample. */
  measured: boolean;
  /** Share of its lines that say word for word what another says. */
  repeated: number;
  /** Bytes a day that leaving it out would save. */
  savedPerDay: number;
  /** Why it may be left out; empty where nothing speaks for it. */
  reasons: string[];
  /** A regular expression (RE2) that its lines match, for a sender's filter. */
  filter: string;
}

export interface NoiseAnswer {
  missing?: MissingRecords;
  records: number;
  bytes: number;
  /** The costliest first. */
  rows: NoiseRow[];
  /** Rows that were left out since there were too many. */
  more: number;
}

/** What a file of records may be. */
export type ExportFormat = 'text' | 'jsonl' | 'csv' | 'otlp';

export interface ExportBody extends ReadBody {
  what: 'lines';
  format: ExportFormat;
  /** Fields of a table, in their order; time, level, service and text where left out. */
  columns?: string[];
}

/** News of records that have just been stored. */
export interface FollowNews {
  /** Those that match, the newest of them, in the order of time. */
  records: LogRecord[];
  /** How many match. */
  matched: number;
}
export * from './requests.js';
export * from './health.js';
export * from './runs.js';
export * from './onsets.js';
export * from './plots.js';
export * from './cases.js';
export * from './contrast.js';
export * from './questions.js';

/** How the server fares. */
export interface ServerState {
  live: true;
  ready: true;
  /** Lines held, of all data sets. */
  records: number;
  /** True where everybody on the network who reaches it may read and change everything. */
  open: boolean;
  /** Milliseconds for which the main thread answered nobody, in the last one to two minutes. */
  eventLoop: { longest: number; p99: number };
  threads: ThreadsState[];
}

/** Threads that do one kind of work. */
export interface ThreadsState {
  name: string;
  threads: number;
  running: number;
  waiting: number;
  /** Threads that were stuck and have been replaced, and when the last of them was. */
  replaced: number;
  lastReplaced?: string;
}
