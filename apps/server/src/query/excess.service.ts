import type { ExcessAnswer, ExcessPeriod } from '@flail/contract';
import { edgesOf, excessOf, overlaps, type Window } from '@flail/core';
import { Injectable } from '@nestjs/common';
import { RecordStore } from '../store/record-store.js';
import { windowBody } from './moments.js';
import type { Asked } from './planner.js';
import { QueryService } from './query.service.js';

const MINUTE = 60_000_000;
const RECENT = 2 * 24 * 60 * MINUTE;
const EXCESS_STEPS = 1000;
const LEAST_STEPS = 24;
const FINE_STEPS = 2000;
const MAX_PERIODS = 5;

/** Finds when errors stood out. */
@Injectable()
export class ExcessService {
  constructor(
    private readonly store: RecordStore,
    private readonly queries: QueryService,
  ) {}

  /**
   * Stretches in which errors stand out, the latest first. The last two days are looked at by themselves as
   * well: over a long time the steps are so wide that a short stretch drowns in them.
   */
  async excess(asked: Omit<Asked, 'window'> & { window?: Window }): Promise<ExcessAnswer> {
    const held = this.store.shown(asked.dataset);
    const whole = asked.window ?? (held && { from: held.from, to: held.to + 1 });
    if (!whole) return { periods: [] };
    const recent = { from: whole.to - RECENT, to: whole.to };
    const spans = recent.from > whole.from ? [recent, whole] : [whole];
    const found: ExcessPeriod[] = [];
    for (const span of spans) {
      for (const period of await this.excessIn(asked, span)) {
        const known = found.some(
          (other) => other.window.from < period.window.to && period.window.from < other.window.to,
        );
        if (!known) found.push(period);
      }
    }
    return { periods: found.sort((a, b) => (a.window.from < b.window.from ? 1 : -1)).slice(0, MAX_PERIODS) };
  }

  /** Stretches of a window in which errors stand out, found by coarse steps, then cut to the minute. */
  private async excessIn(asked: Omit<Asked, 'window'>, span: Window): Promise<ExcessPeriod[]> {
    const segments = asked.dataset.segments.filter(({ from, to }) => overlaps(span, from, to));
    const records = segments.reduce((sum, { count }) => sum + count, 0);
    // Too few records in a step bear no conclusion.
    const steps = Math.min(EXCESS_STEPS, Math.max(LEAST_STEPS, Math.floor(records / 100)));
    const width = (span.to - span.from) / steps;
    const runs = excessOf(await this.queries.volume({ ...asked, window: span }, steps));
    return Promise.all(
      runs.slice(-MAX_PERIODS).map(async ({ from, to, errors, total, usual }) => {
        const at = (step: number): number => Math.round(span.from + step * width);
        const around = { from: Math.max(span.from, at(from - 2)), to: Math.min(span.to, at(to + 2)) };
        const fine = Math.min(FINE_STEPS, Math.max(1, Math.round((around.to - around.from) / MINUTE)));
        const [first, last] = edgesOf(await this.queries.volume({ ...asked, window: around }, fine), usual);
        const step = (around.to - around.from) / fine;
        const goesOn = to >= steps - 1;
        const end = goesOn ? span.to : Math.round(around.from + (last + 1) * step);
        const window = windowBody({ from: Math.round(around.from + first * step), to: end });
        return { window, errors, total, usual, goesOn };
      }),
    );
  }
}
