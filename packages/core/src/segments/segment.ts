/**
 * Version of the stored form; a reader refuses what it does not know.
 * 1: columns and summary. 2: counts by layout, service and level in the summary, and by minute in a column;
 *    what sequences of three characters the values of each column hold, and (in later ones) what identifiers.
 */
export const SEGMENT_VERSION = 2;
/** Records in a full segment. */
export const SEGMENT_RECORDS = 65_536;

/**
 * What is known of a segment without reading its columns. Codes in the columns are local: they index the
 * tables here, which hold the data set's ids.
 */
export interface SegmentSummary {
  version: number;
  count: number;
  /** Time of the first and the last record, microseconds since 1970. */
  from: number;
  to: number;
  firstSeq: number;
  lastSeq: number;
  /** Bytes of the lines as received, without their line ends. */
  rawBytes: number;
  contexts: number[];
  /** Records of each context. Since version 2. */
  contextCounts?: number[];
  shapes: number[];
  services: string[];
  /** Records at each level code. */
  levels: number[];
  layouts: number[];
  /** Per layout: records, and time of the first and the last. */
  layoutCounts: number[];
  layoutFirst: number[];
  layoutLast: number[];
  /** Row of the last record of each layout. Since version 2. */
  layoutLastRow?: number[];
  /** Records by layout, service and level, four numbers each: their codes and the count. Since version 2. */
  cells?: number[];
  /** Fields that at least one record has. */
  fields: string[];
  /** Index of the first layout of each chunk of slot values. */
  slotChunks: number[];
  /** Checksum of each column. */
  columns: Record<string, number>;
}

/** Names of the columns that every segment has. */
export const COLUMN = {
  time: '@time',
  seq: '@seq',
  context: '@context',
  shape: '@shape',
  layout: '@layout',
  level: '@level',
  service: '@service',
  exact: '@exact',
  minutes: '@minutes',
  trigrams: '@trigrams',
  identifiers: '@identifiers',
} as const;

export const fieldColumn = (name: string): string => `f:${name}`;
export const slotColumn = (chunk: number): string => `s:${chunk}`;

/** Who sent a record: the same for all records of one intake request. */
export interface Context {
  id: number;
  source: string;
  /** What the sender declared of itself: service, instance, host, site… */
  attributes: Record<string, string>;
}
