/** What is measured over the records of a group. */
export const MEASURES = ['count', 'rate', 'share', 'distinct', 'sum', 'avg', 'min', 'max'] as const;
export type MeasureName = (typeof MEASURES)[number] | 'percentile';

/** A field, or something worked out from one. */
export interface Argument {
  field: string;
  /** `hour` and `weekday` of a time (UTC), `length` of a text. */
  call?: DerivedName;
}

export const DERIVED = ['hour', 'weekday', 'length'] as const;
export type DerivedName = (typeof DERIVED)[number];

export interface Measure {
  name: MeasureName;
  /** Absent for count, rate and share. */
  of?: Argument;
  /** For percentiles: 95 for p95. */
  percent?: number;
  /** Name of its column. */
  column: string;
}

export interface Summary {
  kind: 'summary';
  measures: Measure[];
  by: Argument[];
  /** Length of a step of time, microseconds. */
  every?: number;
}

/** A comparison of a column, as it stands after `where`. */
export type TableCondition =
  | { kind: 'and' | 'or'; terms: TableCondition[] }
  | { kind: 'not'; term: TableCondition }
  | { kind: 'compare'; column: string; operator: string; value: string }
  | { kind: 'in'; column: string; values: string[] }
  | { kind: 'presence'; column: string; present: boolean };

export type Step =
  | Summary
  | { kind: 'where'; condition: TableCondition }
  | { kind: 'sort'; keys: { column: string; descending: boolean }[] }
  | { kind: 'top'; count: number; by?: string };

/** Name of an argument's column. */
export const argumentName = ({ field, call }: Argument): string => (call ? `${call}(${field})` : field);
