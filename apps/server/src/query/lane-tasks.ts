import type { ExportFormat } from '@flail/contract';
import type {
  Condition,
  Hits,
  NoiseCell,
  Order,
  FieldCounts,
  PackedCounts,
  PackedHistories,
  PartialSummary,
  PatternRecords,
  Place,
  SlotPlaces,
  Splits,
  Summary,
  ValueCounts,
  Volume,
  Window,
} from '@flail/core';

import type { SeriesIdentity, SeriesKind, SeriesPart, Steps } from '@flail/core/series';

/** A record as a lane rebuilds it. */
export interface FetchedRecord {
  segment: number;
  row: number;
  seq: number;
  micros: number;
  level: number;
  service: string;
  source: string;
  layout: number;
  text: string;
  slots: [start: number, end: number][];
  slotValues: string[];
  slotTypes: string;
  fields: Record<string, string>;
  line: string;
}

/** The part of a record that an example of a pattern needs. */
export type BriefRecord = Pick<FetchedRecord, 'segment' | 'row' | 'layout' | 'slotValues'>;

/** A question put to some segments. Windows are in microseconds. */
export type Question =
  | { kind: 'search'; window: Window; order: Order; limit: number; cursor?: Place }
  | { kind: 'patterns'; focus: Window; baseline?: Window; splits: Splits }
  | { kind: 'history'; focus: Window; stretch: number; layouts: number[]; splits: Splits }
  | { kind: 'volume'; window: Window; steps: number }
  | { kind: 'count'; windows: Window[] }
  | { kind: 'values'; window: Window; field: string; limit: number }
  | { kind: 'summary'; windows: Window[]; summary: Summary }
  | { kind: 'differences'; focus: Window; baseline: Window; fields?: string[] }
  /** What lines come to in bytes, by layout and sender. */
  | { kind: 'noise'; window: Window }
  /** The newest moments of the records. */
  | { kind: 'moments'; window: Window; limit: number }
  /** How many records of some layouts came in each step. */
  | { kind: 'layout steps'; steps: Steps; layouts: number[] }
  | { kind: 'fields' };

export interface Answers {
  search: Hits;
  patterns: PackedCounts;
  history: PackedHistories;
  volume: Volume;
  count: number[];
  values: ValueCounts;
  summary: PartialSummary[];
  differences: Map<string, FieldCounts>;
  noise: NoiseCell[];
  moments: number[];
  'layout steps': Float64Array[];
  fields: string[];
}

export interface AskTask {
  task: 'ask';
  question: Question;
  condition: Condition;
  /** Records of the patterns that the condition names. */
  patterns: Map<string, PatternRecords>;
  /** Where the slots stand of the pattern that fields such as `slot.1` speak of. */
  slots?: SlotPlaces;
  segments: number[];
}

/** Rebuilds records at known places. */
export interface FetchTask {
  task: 'fetch';
  places: { segment: number; row: number }[];
  /** Only layout and slot values, as an example of a pattern needs. */
  brief?: boolean;
}

/** What series did step by step, those of one group together. */
export interface SeriesTask {
  task: 'series';
  steps: Steps;
  groups: number;
  members: {
    id: number;
    kind: SeriesKind;
    total: boolean;
    group: number;
    /** Points that are in no chunk yet. */
    fresh: Uint8Array[];
  }[];
}

/** Who calls whom, by the spans of a window; all segments are gone through by one lane, since callers and called may lie in different ones. */
export interface CallsTask {
  task: 'calls';
  window: Window;
  segments: number[];
}

/** The records of a segment that are in a window, as they are carried to another store. */
export interface CarryTask {
  task: 'carry';
  segment: number;
  window: Window;
  /** Places of the senders that are wanted, by their contexts. */
  senders: Map<number, number>;
  /** What values are replaced by, wherever they stand in a line. */
  redacted?: Map<string, string>;
}

/** Points of series, as they are carried to another store. */
export interface CarrySeriesTask {
  task: 'carry-series';
  window: Window;
  series: (SeriesIdentity & { id: number; fresh: Uint8Array[]; exemplars: SeriesPart['exemplars'] })[];
}

/** The records of a segment that match, written in some form, in the order of time. */
export interface ExportTask extends Pick<AskTask, 'condition' | 'patterns' | 'slots'> {
  task: 'export';
  segment: number;
  window: Window;
  format: ExportFormat;
  columns: readonly string[];
}

/** Records as they are written to a file, with what puts them in order among those of other segments. */
export interface Exported {
  times: Float64Array;
  seqs: Float64Array;
  /** Where the text of each ends, in bytes. */
  ends: Uint32Array;
  bytes: Uint8Array;
}

export interface Carried {
  records: number;
  bytes: Uint8Array;
}

export type LaneTask =
  AskTask | FetchTask | SeriesTask | CallsTask | CarryTask | CarrySeriesTask | ExportTask | { task: 'close' };

/** What it took to answer a task. */
export interface Effort {
  segments: number;
  /** Column blocks read from the store; others were still unpacked in memory. */
  blocks: number;
  bytes: number;
  /** Segments that could not be read since a block of theirs is damaged; they were left out. */
  broken: BrokenSegment[];
  /** Chunks of series that could not be read for that reason. */
  brokenChunks: number;
}

export interface BrokenSegment {
  segment: number;
  column: string;
}

/** What a lane answers: a value, or what part of the store stood in the way. */
export type LaneAnswer = { value: unknown; effort: Effort } | { gone: number } | { broken: string };
