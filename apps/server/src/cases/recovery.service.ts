import type { RecoveryAnswer } from '@flail/contract';
import { recoveryOf, type StepCount } from '@flail/core/cases';
import { wrongByStep, type WrongOf } from '@flail/core/runs';
import type { Steps } from '@flail/core/series';
import { momentText } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import type { Asked } from '../query/planner.js';
import { RequestsService } from '../requests/requests.service.js';
import { RunsService } from '../runs/runs.service.js';
import { RecordStore } from '../store/record-store.js';

const MINUTE = 60_000_000;
/** Steps that are shown, about. */
const STEPS = 180;

/** Watches whether what went wrong has ended. */
@Injectable()
export class RecoveryService {
  constructor(
    private readonly requests: RequestsService,
    private readonly runs: RunsService,
    private readonly store: RecordStore,
  ) {}

  /**
   * From the focus on up to now, against the baseline.
   *
   * @param job whose runs are watched; requests where none is named
   */
  async recovery(asked: Asked, job: string): Promise<RecoveryAnswer> {
    const { window, baseline, dataset } = asked;
    const until = Math.max(window.to, this.store.shown(dataset)?.to ?? window.to);
    const width = Math.max(1, Math.ceil((until - window.from) / MINUTE / STEPS)) * MINUTE;
    const from = Math.floor(window.from / width) * width;
    // The step under way is not whole yet.
    const count = Math.max(1, Math.floor((until - from) / width));
    const steps = await this.counts(asked, job, { from, width, count });
    const before = baseline
      ? await this.counts(asked, job, { from: baseline.from, width: baseline.to - baseline.from, count: 1 })
      : [];
    const usual = { wrong: before[0]?.wrong ?? 0, all: before[0]?.all ?? 0 };
    const { since, ...found } = recoveryOf(steps, usual);
    return {
      ...found,
      ...(since !== undefined && { since: momentText(since * 1e6) }),
      from: momentText(from),
      step: width / 1e6,
      values: steps.map(({ wrong, all }) => (all === 0 ? null : wrong / all)),
    };
  }

  /** What went wrong step by step: of runs those that ended in it. */
  private async counts(asked: Asked, job: string, steps: Steps): Promise<StepCount[]> {
    const window = { from: steps.from, to: steps.from + steps.width * steps.count };
    const own = { ...asked, window };
    const counts = await (job === '' ? this.requestCounts(own, steps) : this.runCounts(own, job, steps));
    return counts.map((counted, at) => ({ at: (steps.from + at * steps.width) / 1e6, ...counted }));
  }

  private async runCounts({ dataset, asker, window }: Asked, job: string, steps: Steps): Promise<WrongOf[]> {
    return wrongByStep(await this.runs.plain(dataset, asker, window, { job }), steps);
  }

  private async requestCounts(asked: Asked, steps: Steps): Promise<WrongOf[]> {
    const { rate, failedShare } = await this.requests.ofSeries(asked, { kind: 'figures', steps });
    return Array.from({ length: steps.count }, (_, at) => {
      const all = ((rate[at] ?? 0) * steps.width) / MINUTE;
      const share = failedShare[at] ?? NaN;
      return { all: Math.round(all), wrong: Number.isNaN(share) ? 0 : Math.round(share * all) };
    });
  }
}
