import type {
  Condition,
  CountKey,
  Hits,
  LayoutCounts,
  LayoutHistory,
  Order,
  PatternRecords,
  Place,
  Splits,
  ValueCounts,
  Volume,
  Window,
} from '@flail/core';

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

/** A question put to some segments. Windows are in microseconds. */
export type Question =
  | { kind: 'search'; window: Window; order: Order; limit: number; cursor?: Place }
  | { kind: 'patterns'; focus: Window; baseline?: Window; splits: Splits }
  | { kind: 'history'; focus: Window; stretch: number; layouts: number[]; splits: Splits }
  | { kind: 'volume'; window: Window; steps: number }
  | { kind: 'count'; windows: Window[] }
  | { kind: 'values'; window: Window; field: string; limit: number }
  | { kind: 'fields' };

export interface Answers {
  search: Hits;
  patterns: Map<CountKey, LayoutCounts>;
  history: Map<CountKey, LayoutHistory>;
  volume: Volume;
  count: number[];
  values: ValueCounts;
  fields: string[];
}

export interface AskTask {
  task: 'ask';
  question: Question;
  condition: Condition;
  /** Records of the patterns that the condition names. */
  patterns: Map<string, PatternRecords>;
  segments: number[];
}

/** Rebuilds records at known places. */
export interface FetchTask {
  task: 'fetch';
  places: { segment: number; row: number }[];
}

export type LaneTask = AskTask | FetchTask | { task: 'close' };

/** What a lane answers: a value, or what part of the store stood in the way. */
export type LaneAnswer = { value: unknown } | { gone: number } | { broken: string };
