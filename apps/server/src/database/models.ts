import type { CsvColumns, Head } from '@flail/core';
import { AutoIncrement, Column, DataType, Model, PrimaryKey, Table } from 'sequelize-typescript';

const plain = { timestamps: false, underscored: true } as const;

/** How a data set is played back. */
export interface ReplayState {
  playing: boolean;
  /** Seconds of its time that pass in a second. */
  speed: number;
  /** Up to where it was shown, microseconds since 1970, and when that was, milliseconds. */
  position: number;
  since: number;
}

/** A body of records that is queried by itself: the live one, or a kept bundle. */
@Table({ tableName: 'datasets', ...plain })
export class DatasetModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  /** Name in the API. */
  @Column(DataType.TEXT)
  declare key: string;
  @Column(DataType.TEXT)
  declare name: string;
  /** What its records are. */
  @Column(DataType.TEXT)
  declare signal: 'logs' | 'spans';
  /** False while a bundle is being opened into it. */
  @Column(DataType.BOOLEAN)
  declare ready: boolean;
  /** Windows and scope that it was kept for, as parameters of a view; empty where none came with it. */
  @Column(DataType.TEXT)
  declare view: string;
  /** How far it is shown, where it is played back. */
  @Column(DataType.JSON)
  declare replay: ReplayState | null;
}

/** Who sent records: a source with what it declared of itself. */
@Table({ tableName: 'contexts', ...plain })
export class ContextModel extends Model {
  @PrimaryKey
  @Column(DataType.INTEGER)
  declare id: number;
  @PrimaryKey
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @Column(DataType.TEXT)
  declare source: string;
  @Column(DataType.JSON)
  declare declared: Record<string, string>;
}

/** The envelope of lines. */
@Table({ tableName: 'shapes', ...plain })
export class ShapeModel extends Model {
  @PrimaryKey
  @Column(DataType.INTEGER)
  declare id: number;
  @PrimaryKey
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @Column(DataType.JSON)
  declare body: unknown;
}

/** The constant text of records, with slots. */
@Table({ tableName: 'layouts', ...plain })
export class LayoutModel extends Model {
  @PrimaryKey
  @Column(DataType.INTEGER)
  declare id: number;
  @PrimaryKey
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @Column(DataType.JSON)
  declare literals: string[];
  @Column(DataType.TEXT)
  declare types: string;
}

/** An immutable block of records. Its columns are rows of their own. */
@Table({ tableName: 'segments', ...plain })
export class SegmentModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @Column(DataType.DOUBLE)
  declare fromMicros: number;
  @Column(DataType.DOUBLE)
  declare toMicros: number;
  @Column(DataType.INTEGER)
  declare count: number;
  @Column(DataType.DOUBLE)
  declare lastSeq: number;
  @Column(DataType.JSON)
  declare summary: unknown;
}

/** Numbers of column names, so that the blocks of one column lie side by side. */
@Table({ tableName: 'column_names', ...plain })
export class ColumnNameModel extends Model {
  @PrimaryKey
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.TEXT)
  declare name: string;
}

/** One column of one segment. The id is the column's number, then the segment's: a scan over one column is one range. */
@Table({ tableName: 'column_blocks', ...plain })
export class ColumnBlockModel extends Model {
  @PrimaryKey
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.BLOB)
  declare data: Buffer;
}

/** A batch sent with an Idempotency-Key: how much of it is stored, and what was answered. */
@Table({ tableName: 'intake_batches', ...plain })
export class IntakeBatchModel extends Model {
  @PrimaryKey
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @PrimaryKey
  @Column(DataType.TEXT)
  declare key: string;
  @Column(DataType.INTEGER)
  declare stored: number;
  /** Records stored of each chunk, while the batch is not complete. */
  @Column(DataType.JSON)
  declare chunks: [chunk: number, records: number][] | null;
  @Column(DataType.JSON)
  declare answer: unknown;
  @Column(DataType.DATE)
  declare at: Date;
}

/** What is known of a source. */
@Table({ tableName: 'sources', ...plain })
export class SourceModel extends Model {
  @PrimaryKey
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @PrimaryKey
  @Column(DataType.TEXT)
  declare name: string;
  @Column(DataType.TEXT)
  declare format: string;
  @Column(DataType.INTEGER)
  declare records: number;
  @Column(DataType.INTEGER)
  declare malformed: number;
  @Column(DataType.INTEGER)
  declare bytes: number;
  @Column(DataType.DATE)
  declare lastSeen: Date;
  /** Seconds for which records are kept; without limit where null. */
  @Column(DataType.DOUBLE)
  declare maxAge: number | null;
  /** Bytes, as received, that are kept; without limit where null. */
  @Column(DataType.DOUBLE)
  declare maxBytes: number | null;
  /** Time of the first and the last record that came, microseconds since 1970. */
  @Column(DataType.DOUBLE)
  declare fromMicros: number | null;
  @Column(DataType.DOUBLE)
  declare toMicros: number | null;
  /** Seconds by which the newest record of the last batch was ahead of its arrival; below nought, behind. */
  @Column(DataType.DOUBLE)
  declare ahead: number | null;
  /** What was wrong with lines, the newest of each kind. */
  @Column(DataType.JSON)
  declare problems: { code: string; message: string; count: number; sample?: string }[] | null;
  /** The format that a person says it has; found from its lines where null. */
  @Column(DataType.TEXT)
  declare givenFormat: string | null;
  /** The columns of its lines, where their format has such. */
  @Column(DataType.JSON)
  declare columns: CsvColumns | null;
  /** What its lines of plain text open with. */
  @Column(DataType.JSON)
  declare heads: readonly Head[] | null;
}

/** A rule that a person gave: kept also after it was taken back. */
abstract class RuleModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @Column(DataType.JSON)
  declare rule: unknown;
  @Column(DataType.DATE)
  declare at: Date;
  @Column(DataType.DATE)
  declare undoneAt: Date | null;
}

/** A correction of the grouping. */
@Table({ tableName: 'corrections', ...plain })
export class CorrectionModel extends RuleModel {}

/** A mark of a pattern. */
@Table({ tableName: 'marks', ...plain })
export class MarkModel extends RuleModel {}

/** What tells a series from others. */
@Table({ tableName: 'series', ...plain })
export class SeriesModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @Column(DataType.TEXT)
  declare metric: string;
  @Column(DataType.TEXT)
  declare unit: string;
  @Column(DataType.TEXT)
  declare kind: 'gauge' | 'sum' | 'histogram';
  @Column(DataType.BOOLEAN)
  declare total: boolean;
  @Column(DataType.JSON)
  declare labels: Record<string, string>;
}

/** Points as they came, one row for each request, until they are put into chunks. */
@Table({ tableName: 'series_tail', ...plain })
export class SeriesTailModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @Column(DataType.BLOB)
  declare data: Buffer;
}

/** Points of one series over a stretch of time. */
@Table({ tableName: 'series_chunks', ...plain })
export class SeriesChunkModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.INTEGER)
  declare seriesId: number;
  @Column(DataType.DOUBLE)
  declare fromMicros: number;
  @Column(DataType.DOUBLE)
  declare toMicros: number;
  @Column(DataType.INTEGER)
  declare count: number;
  @Column(DataType.INTEGER)
  declare crc: number;
  @Column(DataType.BLOB)
  declare data: Buffer;
}

/** A measured value with the request that it belongs to. */
@Table({ tableName: 'series_exemplars', ...plain })
export class ExemplarModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.INTEGER)
  declare seriesId: number;
  @Column(DataType.DOUBLE)
  declare atMicros: number;
  @Column(DataType.DOUBLE)
  declare value: number;
  @Column(DataType.TEXT)
  declare trace: string | null;
  @Column(DataType.TEXT)
  declare span: string | null;
}

/** Something that was changed: a deployment, a configuration, a restart… */
@Table({ tableName: 'changes', ...plain })
export class ChangeModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @Column(DataType.TEXT)
  declare source: string;
  @Column(DataType.TEXT)
  declare eventId: string;
  @Column(DataType.DOUBLE)
  declare atMicros: number;
  @Column(DataType.TEXT)
  declare kind: string;
  @Column(DataType.TEXT)
  declare title: string;
  /** What was changed: service, instance, host, site. */
  @Column(DataType.JSON)
  declare entity: Record<string, string>;
  /** The event as it came. */
  @Column(DataType.JSON)
  declare body: unknown;
}

/** A run of a job, put together from its events. */
@Table({ tableName: 'runs', ...plain })
export class RunModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.INTEGER)
  declare datasetId: number;
  @Column(DataType.TEXT)
  declare runId: string;
  @Column(DataType.TEXT)
  declare namespace: string;
  @Column(DataType.TEXT)
  declare job: string;
  @Column(DataType.TEXT)
  declare state: string;
  @Column(DataType.DOUBLE)
  declare fromMicros: number;
  @Column(DataType.DOUBLE)
  declare toMicros: number | null;
  @Column(DataType.JSON)
  declare run: unknown;
  /** The events that it is put together from, as they came. */
  @Column(DataType.JSON)
  declare events: unknown[];
}

/** An expression, or a pair of cohorts, that somebody keeps. */
@Table({ tableName: 'saved_expressions', ...plain })
export class SavedModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.TEXT)
  declare name: string;
  @Column(DataType.TEXT)
  declare kind: 'expression' | 'cohorts';
  /** The expression, or the parameters that make the cohorts. */
  @Column({ type: DataType.TEXT, field: 'expression' })
  declare kept: string;
  @Column(DataType.TEXT)
  declare owner: string;
  /** Whether all others see it too. */
  @Column(DataType.BOOLEAN)
  declare shared: boolean;
  @Column(DataType.DATE)
  declare at: Date;
}

/** An investigation. */
@Table({ tableName: 'cases', ...plain })
export class CaseModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.TEXT)
  declare name: string;
  @Column(DataType.DATE)
  declare at: Date;
  @Column(DataType.JSON)
  declare contents: unknown;
}

/** Something that was found worth keeping, with the address of the view that shows it. */
@Table({ tableName: 'pins', ...plain })
export class PinModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;
  @Column(DataType.INTEGER)
  declare caseId: number;
  @Column(DataType.TEXT)
  declare kind: string;
  @Column(DataType.TEXT)
  declare title: string;
  @Column(DataType.TEXT)
  declare address: string;
  @Column(DataType.TEXT)
  declare note: string;
  @Column(DataType.JSON)
  declare seen: unknown;
  @Column(DataType.DATE)
  declare at: Date;
}

/** What is promised of requests. */
@Table({ tableName: 'objectives', ...plain })
export class ObjectiveModel extends Model {
  @PrimaryKey
  @AutoIncrement
  @Column(DataType.INTEGER)
  declare id: number;

  @Column(DataType.INTEGER)
  declare datasetId: number;

  @Column(DataType.TEXT)
  declare name: string;

  @Column(DataType.TEXT)
  declare service: string | null;

  @Column(DataType.TEXT)
  declare operation: string | null;

  @Column(DataType.DOUBLE)
  declare target: number;

  @Column(DataType.DOUBLE)
  declare days: number;
}

export const MODELS = [
  DatasetModel,
  ContextModel,
  ShapeModel,
  LayoutModel,
  SegmentModel,
  ColumnNameModel,
  ColumnBlockModel,
  IntakeBatchModel,
  SourceModel,
  CorrectionModel,
  MarkModel,
  SeriesModel,
  SeriesTailModel,
  SeriesChunkModel,
  ExemplarModel,
  ChangeModel,
  RunModel,
  SavedModel,
  CaseModel,
  PinModel,
  ObjectiveModel,
];
