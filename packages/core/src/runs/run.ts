/** States of a run, in the order in which it goes through them; the last four are final. */
export const RUN_STATES = [
  'waiting',
  'starting',
  'running',
  'done',
  'done with errors',
  'failed',
  'stopped',
] as const;
export type RunState = (typeof RUN_STATES)[number];

export const isFinal = (state: RunState): boolean => RUN_STATES.indexOf(state) >= 3;

/** A part of a run. */
export interface RunStep {
  name: string;
  state: RunState;
  /** Steps that must be done before. */
  after: string[];
  /** Microseconds since 1970. */
  from?: number;
  to?: number;
  worker?: string;
  error?: string;
}

export interface RunWorker {
  name: string;
  host?: string;
  from?: number;
  to?: number;
}

/** A run of a job, as its events tell it. */
export interface Run {
  id: string;
  namespace: string;
  job: string;
  state: RunState;
  /** State changes in the order of time. */
  states: { state: RunState; at: number }[];
  /** Its first sign, and its end where it has one. */
  from: number;
  to?: number;
  parent?: { id: string; job: string };
  trigger?: string;
  /** The time that it was planned for. */
  nominal?: number;
  parameters: Record<string, string>;
  steps: RunStep[];
  workers: RunWorker[];
  usage: { cpuSeconds?: number; memoryBytes?: number; recordsIn?: number; recordsOut?: number };
  inputs: string[];
  outputs: string[];
  error?: { message: string; stack?: string };
  /** Service, instance, host, site. */
  entity: Record<string, string>;
}
