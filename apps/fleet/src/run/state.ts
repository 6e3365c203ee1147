import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Placements } from '../episodes/placement.js';
import { joined, type Stretch } from './stretches.js';

/** What a run sends, and how far it has got; kept so that the next start goes on with the same data. */
export interface State {
  seed: string;
  anchor: number;
  scale: number;
  episodes: Placements;
  /** What was sent, in the order of time. */
  sent: readonly Stretch[];
  /** The newest moment that was sent. */
  until: number;
  /** Whether the series of the weeks before the history are sent. */
  weeksBefore?: boolean;
  /** Whether all of the history is sent. */
  complete?: boolean;
}

/** The state of a run, in a file of its data folder. */
export class StateFile {
  private readonly path: string;

  constructor(private readonly folder: string) {
    this.path = join(folder, 'fleet.json');
  }

  read(): State | undefined {
    try {
      const state = JSON.parse(readFileSync(this.path, 'utf8')) as State;
      return { ...state, sent: state.sent ?? [{ from: 0, to: state.until }] };
    } catch {
      return undefined;
    }
  }

  write(state: State): void {
    mkdirSync(this.folder, { recursive: true });
    writeFileSync(this.path, JSON.stringify(state));
  }
}

/** The state once a stretch was sent. */
export function withSent(state: State, stretch: Stretch): State {
  const sent = joined([...state.sent, stretch]);
  return { ...state, sent, until: sent.at(-1)!.to };
}
