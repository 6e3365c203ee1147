import type { FigureBody, HealthAnswer, RunBody, RunCounts } from '@flail/contract';
import type { Window } from '@flail/core';
import { figureOf } from '@flail/core/impact';
import { microsOf } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import type { Asker } from '../access/asker.js';
import { RunsService } from '../runs/runs.service.js';
import type { Asked } from '../query/planner.js';
import { figureBody } from '../requests/overview.js';
import { RequestsService } from '../requests/requests.service.js';
import { SeriesQueryService, stepsIn } from '../series/series-query.service.js';
import type { Dataset } from '../store/record-store.js';
import { ObjectivesService } from './objectives.service.js';

const SECOND = 1_000_000;
const DAY = 86_400 * SECOND;
const PAST = 8 * DAY;
/** Steps that a focus is cut into, about. */
const STEPS = 12;
/** Figures of the business that are shown, at most. */
const MOST_FIGURES = 8;
/** Labels of what a machine or a program measures of itself. */
const OF_MACHINES = ['instance', 'host', 'check'];

/** The state of what is promised, of requests, runs and the business, against what is normal. */
@Injectable()
export class HealthService {
  constructor(
    private readonly requests: RequestsService,
    private readonly runs: RunsService,
    private readonly series: SeriesQueryService,
    private readonly objectives: ObjectivesService,
  ) {}

  async health(asked: Asked, tolerance: number): Promise<HealthAnswer> {
    const { dataset, asker, window } = asked;
    const step = stepsIn(window, STEPS).width / SECOND;
    const [overview, business, runs] = await Promise.all([
      this.requests.overview(asked, {
        tolerance,
        step: Math.min(600, Math.max(60, step)),
        objectives: await this.objectives.of(dataset),
      }),
      this.business(dataset, asker, window),
      this.runTally(asked),
    ]);
    return { ...overview, business, runs };
  }

  /** Metrics that no instance or host measures of itself: figures of the business. */
  private async business(dataset: Dataset, asker: Asker, window: Window): Promise<FigureBody[]> {
    const { metrics } = this.series.search(dataset, asker, '', Infinity);
    const own = metrics.filter(
      ({ labels, kind }) => kind !== 'histogram' && !labels.some(({ name }) => OF_MACHINES.includes(name)),
    );
    const { width } = stepsIn(window, STEPS);
    const seconds = { from: window.from / SECOND, to: window.to / SECOND };
    return Promise.all(
      own.slice(0, MOST_FIGURES).map(async ({ metric, unit }) => {
        const answer = await this.series.query(dataset, asker, {
          steps: stepsIn(
            { from: window.to - PAST, to: window.to },
            Math.ceil(PAST / Math.max(width, 60 * SECOND)),
          ),
          metric,
          where: {},
          by: [],
          aggregate: undefined,
        });
        const rate = answer.aggregate === 'rate';
        const values = (answer.lines[0]?.values ?? []).map((value) =>
          value === null ? NaN : rate ? value * 60 : value,
        );
        const figure = figureOf({ from: microsOf(answer.from) / SECOND, step: answer.step, values }, seconds);
        return figureBody(rate ? `${metric} a minute` : metric, rate ? `${unit}/min` : unit, figure);
      }),
    );
  }

  private async runTally({ dataset, asker, window, baseline }: Asked): Promise<HealthAnswer['runs']> {
    const of = async (part: Window | undefined): Promise<RunBody[]> =>
      part ? (await this.runs.search(dataset, asker, part, Infinity, {})).runs : [];
    const [focus, before] = [await of(window), await of(baseline)];
    const stuck = await this.runs.stuck(dataset, asker, window);
    const jobs = [...new Set([...focus, ...before].map(({ job }) => job))].sort();
    return jobs
      .map((job) => ({
        job,
        focus: countsOf(focus, job, window),
        baseline: countsOf(before, job, baseline),
        stuck: stuck.filter((run) => run.job === job).length,
      }))
      .sort((a, b) => b.stuck - a.stuck || b.focus.failed - a.focus.failed);
  }
}

function countsOf(runs: readonly RunBody[], job: string, window: Window | undefined): RunCounts {
  const counts: RunCounts = { done: 0, 'done with errors': 0, failed: 0, stopped: 0 };
  for (const { job: own, state, to } of runs) {
    if (own !== job || to === undefined || !window) continue;
    const ended = microsOf(to);
    if (ended >= window.from && ended < window.to && state in counts) counts[state as keyof RunCounts]++;
  }
  return counts;
}
