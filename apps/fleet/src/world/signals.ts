import type { Instance } from './company.js';
import type { Line } from './line.js';

export type Attributes = Record<string, string | number | boolean>;

/** A span as an instance records it. */
export interface Span {
  from: Instance;
  trace: string;
  id: string;
  parent?: string;
  name: string;
  kind: 'server' | 'client' | 'internal' | 'producer';
  /** Milliseconds since 1970, with a fraction, and how long it took. */
  at: number;
  took: number;
  /** What went wrong, where something did. */
  failure?: string;
  attributes: Attributes;
  events: { name: string; at: number; attributes: Attributes }[];
}

/** A measurement: a level, or what was counted since the one before (`counted`). */
export interface Measurement {
  /** The instance that measures, or nothing for the whole company. */
  from?: Instance;
  metric: string;
  unit: string;
  at: number;
  labels?: Attributes;
  value?: number;
  counted?: boolean;
  /** For durations: how many lie under each bound, and beyond the last. */
  histogram?: { bounds: readonly number[]; counts: readonly number[]; sum: number; count: number };
  /** A request with what it measured. */
  exemplar?: { trace: string; span: string; value: number; at: number };
}

/** Something that was changed, as the system that did it tells. */
export interface ChangeEvent {
  id: string;
  source: string;
  type: string;
  at: number;
  data: Record<string, unknown>;
}

/** An event of a run, as the scheduler tells it. */
export interface RunEvent {
  runId: string;
  job: string;
  at: number;
  type: 'START' | 'RUNNING' | 'COMPLETE' | 'FAIL' | 'ABORT' | 'OTHER';
  facets: Record<string, unknown>;
}

/** All that the fleet sends. */
export interface Signals {
  lines: Line[];
  spans: Span[];
  measurements: Measurement[];
  changes: ChangeEvent[];
  runs: RunEvent[];
}

export const noSignals = (): Signals => ({ lines: [], spans: [], measurements: [], changes: [], runs: [] });

export function addSignals(sum: Signals, part: Partial<Signals>): void {
  for (const one of part.lines ?? []) sum.lines.push(one);
  for (const one of part.spans ?? []) sum.spans.push(one);
  for (const one of part.measurements ?? []) sum.measurements.push(one);
  for (const one of part.changes ?? []) sum.changes.push(one);
  for (const one of part.runs ?? []) sum.runs.push(one);
}

/** The part of signals that is told from one moment on, and before another. */
export function between(signals: Signals, from: number, to = Infinity): Signals {
  const within = ({ at }: { at: number }): boolean => at >= from && at < to;
  return {
    lines: signals.lines.filter(within),
    // A span is told once it has ended.
    spans: signals.spans.filter(({ at, took }) => at + took >= from && at + took < to),
    measurements: signals.measurements.filter(within),
    changes: signals.changes.filter(within),
    runs: signals.runs.filter(within),
  };
}
