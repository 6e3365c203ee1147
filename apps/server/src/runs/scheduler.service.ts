import { Inject, Injectable } from '@nestjs/common';
import { CONFIG, type Config } from '../config/config.js';
import { Problem } from '../problems/problem.js';

export type RunAction = 'stop' | 'retry';

const PATIENCE_MS = 10_000;

/** Asks the scheduler that runs the jobs to stop a run or to try it again. */
@Injectable()
export class SchedulerService {
  constructor(@Inject(CONFIG) private readonly config: Config) {}

  /** What can be asked; nothing where no scheduler is set. */
  get actions(): RunAction[] {
    return this.config.scheduler === '' ? [] : ['stop', 'retry'];
  }

  /** Asks for it, and throws with the scheduler's own words where it does not do it. */
  async ask(run: string, action: RunAction): Promise<void> {
    if (this.config.scheduler === '')
      throw new Problem(409, 'no-scheduler', 'No scheduler', 'No scheduler is set; see FLAIL_SCHEDULER.');
    let response: Response;
    try {
      response = await fetch(`${this.config.scheduler}/runs/${encodeURIComponent(run)}/${action}`, {
        method: 'POST',
        signal: AbortSignal.timeout(PATIENCE_MS),
      });
    } catch {
      throw new Problem(
        502,
        'scheduler',
        'No answer',
        `The scheduler at ${this.config.scheduler} does not answer.`,
      );
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
    throw new Problem(409, 'scheduler', 'Not done', words === '' ? 'The scheduler refused.' : words);
  }
}
