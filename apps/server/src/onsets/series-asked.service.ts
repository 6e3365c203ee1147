import { Injectable } from '@nestjs/common';
import type { Window } from '@flail/core';
import type { Steps } from '@flail/core/series';
import type { Asker } from '../access/asker.js';
import type { TableMember } from '../requests/analysis-tasks.js';
import { LOOK_BACK } from '../series/series-reader.js';
import { SeriesService } from '../series/series.service.js';
import type { Dataset } from '../store/record-store.js';

/** Microseconds before a window that tell what is normal in it. */
export const PAST = 8 * 86_400_000_000;
/** Steps in which series are looked at, microseconds. */
export const STEP = 60_000_000;

/** Says which series a look through all of them goes through. */
@Injectable()
export class SeriesAsked {
  constructor(private readonly series: SeriesService) {}

  /** Steps of a minute over a window and the past that tells what is normal in it. */
  steps(window: Window): Steps {
    const from = Math.floor((window.from - PAST) / STEP) * STEP;
    return { from, width: STEP, count: Math.ceil((window.to - from) / STEP) };
  }

  members(dataset: Dataset, { services }: Asker, { from, width, count }: Steps): TableMember[] {
    return this.series
      .of(dataset)
      .filter(({ labels }) => services === 'all' || services.includes(labels.service ?? ''))
      .map((one) => ({
        id: one.id,
        metric: one.metric,
        unit: one.unit,
        kind: one.kind,
        total: one.total,
        labels: one.labels,
        fresh: this.series.freshOf(one, from - LOOK_BACK, from + width * count),
      }));
  }
}
