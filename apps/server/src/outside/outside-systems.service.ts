import { Inject, Injectable } from '@nestjs/common';
import { CONFIG, type Config } from '../config/config.js';
import { Problem } from '../problems/problem.js';

/** Systems around those that are looked at, and what can be asked of each. */
export type Action =
  | { system: 'scheduler'; run: string; verb: 'stop' | 'retry' }
  | { system: 'changeControl'; change: string; verb: 'revert' };

const PATIENCE_MS = 10_000;
const NAMES = {
  scheduler: { name: 'scheduler', setting: 'FLAIL_SCHEDULER' },
  changeControl: { name: 'change control', setting: 'FLAIL_CHANGE_CONTROL' },
} as const;

/** Asks the scheduler that runs the jobs, and the control that makes changes, to do something. */
@Injectable()
export class OutsideSystems {
  constructor(@Inject(CONFIG) private readonly config: Config) {}

  /** Whether one is set. */
  has(system: Action['system']): boolean {
    return this.config[system] !== '';
  }

  /** Asks for it, and throws with the system's own words where it does not do it. */
  async ask(action: Action): Promise<void> {
    const address = this.config[action.system];
    const { name, setting } = NAMES[action.system];
    if (address === '')
      throw new Problem(
        409,
        `no-${name.replace(' ', '-')}`,
        `No ${name}`,
        `No ${name} is set; see ${setting}.`,
      );
    const of =
      action.system === 'scheduler'
        ? `runs/${encodeURIComponent(action.run)}`
        : `changes/${encodeURIComponent(action.change)}`;
    let response: Response;
    try {
      response = await fetch(`${address}/${of}/${action.verb}`, {
        method: 'POST',
        signal: AbortSignal.timeout(PATIENCE_MS),
      });
    } catch {
      throw new Problem(502, 'outside', 'No answer', `The ${name} at ${address} does not answer.`);
    }
    if (response.ok) return;
    const text = await response.text();
    let words = text.slice(0, 300);
    try {
      const { error } = JSON.parse(text) as { error?: unknown };
      if (typeof error === 'string') words = error;
    } catch {
      // Its words are no JSON.
    }
    throw new Problem(409, 'outside', 'Not done', words === '' ? `The ${name} refused.` : words);
  }
}
