import type { AvailabilityLine, ChecksAnswer, HealthCheck, MetricsQueryAnswer } from '@flail/contract';
import type { Window } from '@flail/core';
import { leakOf } from '@flail/core/impact';
import { limitedBy, limitNames } from '@flail/core/series';
import { momentText } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import type { Asker } from '../access/asker.js';
import { SeriesQueryService, stepsIn } from '../series/series-query.service.js';
import { SourcesService } from '../sources/sources.service.js';
import type { Dataset } from '../store/record-store.js';
import { TopologyService } from '../topology/topology.service.js';

const SECOND = 1_000_000;
const HOUR = 3600 * SECOND;
const DAY = 24 * HOUR;
/** A limit is near when this share of it is used. */
const NEAR_LIMIT = 0.8;
/** Seconds that clocks may differ by. */
const CLOCK = 1;
/** What OpenTelemetry's conventions and common practice call the offset of a clock, in seconds. */
const CLOCK_OFFSET = 'system.clock.offset';
/** Whether a scripted check from outside went well: 1 or 0. */
const PROBE = 'probe.success';
/** Steps of availability over a day. */
const STEPS = 48;

/** Checks of what stands: risks that no failure has shown yet. */
@Injectable()
export class ChecksService {
  constructor(
    private readonly series: SeriesQueryService,
    private readonly topologies: TopologyService,
    private readonly sources: SourcesService,
  ) {}

  async checks(dataset: Dataset, asker: Asker, window: Window): Promise<ChecksAnswer> {
    const day = { from: window.to - DAY, to: window.to };
    const [instances, limits, clocks, sources, availability] = await Promise.all([
      this.instances(dataset, asker, window),
      this.limits(dataset, asker, window, day),
      this.clocks(dataset, asker, window),
      asker.services === 'all' ? this.silent(dataset, asker, window) : [],
      this.availability(dataset, asker, day),
    ]);
    return { checks: [...instances, ...limits, ...clocks, ...sources], availability };
  }

  /** Services that one instance alone stands for. */
  private async instances(dataset: Dataset, asker: Asker, window: Window): Promise<HealthCheck[]> {
    const { entities } = await this.topologies.topology(dataset, asker, window);
    const byService = new Map<string, Set<string>>();
    for (const { service, instance } of entities) {
      if (instance === undefined) continue;
      const own = byService.get(service);
      if (own) own.add(instance);
      else byService.set(service, new Set([instance]));
    }
    if (byService.size === 0) return [];
    const single = [...byService].filter(([, own]) => own.size === 1).map(([service]) => service);
    return [
      {
        name: 'more than one instance',
        passed: single.length === 0,
        finding:
          single.length === 0
            ? `All ${byService.size} services run in several instances.`
            : `${listed(single)} ${single.length === 1 ? 'runs' : 'run'} in one instance only.`,
        todo: 'Run a second instance, or know what happens when the only one is gone.',
      },
    ];
  }

  /** Metrics that have a limit: near it, or climbing towards it. */
  private async limits(dataset: Dataset, asker: Asker, window: Window, day: Window): Promise<HealthCheck[]> {
    const { metrics } = this.series.search(dataset, asker, 'limit', Infinity);
    const found: HealthCheck[] = [];
    for (const { metric: limit, labels } of metrics) {
      const stem = limitedBy(limit);
      if (stem === undefined) continue;
      const named = this.series.search(dataset, asker, stem, Infinity).metrics;
      const used =
        named.find(({ metric }) => metric === stem) ??
        named.find(({ metric }) => limitNames(metric).includes(limit));
      if (!used) continue;
      const by = labels.map(({ name }) => name).filter((name) => name === 'instance' || name === 'host');
      const ask = (metric: string, part: Window, points: number): Promise<MetricsQueryAnswer> =>
        this.series.query(dataset, asker, {
          steps: stepsIn(part, points),
          metric,
          where: {},
          by,
          aggregate: 'max',
        });
      const [values, limitValues] = await Promise.all([ask(used.metric, day, 288), ask(limit, day, 288)]);
      const first = Math.max(0, Math.floor((window.from - day.from) / SECOND / values.step));
      let worst: { name: string; share: number; value: number; limit: number } | undefined;
      let leaking: { name: string; left: number } | undefined;
      for (const line of values.lines) {
        const key = JSON.stringify(line.labels);
        const top = last(limitValues.lines.find((one) => JSON.stringify(one.labels) === key)?.values ?? []);
        if (top === undefined || top <= 0) continue;
        const name = Object.values(line.labels).join(', ') || used.metric;
        const value = line.values.slice(first).reduce<number>((most, one) => Math.max(most, one ?? 0), 0);
        if (!worst || value / top > worst.share) worst = { name, share: value / top, value, limit: top };
        const leak = leakOf(
          line.values.map((one) => one ?? NaN),
          values.step,
          top,
        );
        if (leak && (!leaking || leak.left < leaking.left)) leaking = { name, left: leak.left };
      }
      if (!worst) continue;
      found.push({
        name: `${used.metric} under its limit`,
        passed: worst.share < NEAR_LIMIT && !leaking,
        finding: leaking
          ? `${leaking.name} has climbed steadily for a day; at this pace it is at its limit in ${hoursText(leaking.left)}.`
          : `At most ${Math.round(worst.share * 100)}% of the limit is used (${Math.round(worst.value)} of ${Math.round(worst.limit)}, ${worst.name}).`,
        todo: leaking
          ? 'Look for what is taken and not given back; a restart only buys time.'
          : 'Find who holds so many before raising the limit: who stands at it is often the victim.',
      });
    }
    return found;
  }

  private async clocks(dataset: Dataset, asker: Asker, window: Window): Promise<HealthCheck[]> {
    if (!this.has(dataset, asker, CLOCK_OFFSET)) return [];
    const { lines } = await this.series.query(dataset, asker, {
      steps: stepsIn(window, 60),
      metric: CLOCK_OFFSET,
      where: {},
      by: ['instance'],
      aggregate: 'max',
    });
    const off = lines
      .map(({ labels, min = [], max = [] }) => ({
        name: labels.instance ?? '',
        by: [...min, ...max].reduce<number>((most, one) => Math.max(most, Math.abs(one ?? 0)), 0),
      }))
      .sort((a, b) => b.by - a.by);
    const wrong = off.filter(({ by }) => by > CLOCK);
    return [
      {
        name: 'clocks agree',
        passed: wrong.length === 0,
        finding:
          wrong.length === 0
            ? `All ${off.length} clocks agree within ${(off[0]?.by ?? 0).toPrecision(1)} s.`
            : `${listed(wrong.map(({ name, by }) => `${name} (${by.toFixed(0)} s)`))} ${wrong.length === 1 ? 'is' : 'are'} off; the average over all would hide it.`,
        todo: 'Start time synchronisation on its host again, then look at what checked times meanwhile.',
      },
    ];
  }

  private async silent(dataset: Dataset, asker: Asker, { to }: Window): Promise<HealthCheck[]> {
    const { sources: all } = await this.sources.list(dataset, asker, to);
    if (all.length === 0) return [];
    const silent = all.filter(({ warnings }) => warnings.some((warning) => warning.startsWith('Silent')));
    return [
      {
        name: 'all sources send',
        passed: silent.length === 0,
        finding:
          silent.length === 0
            ? `All ${all.length} sources send as they use to.`
            : `${listed(silent.map(({ name }) => name))} ${silent.length === 1 ? 'has' : 'have'} gone silent.`,
        todo: 'See whether it is down, or only its way here. Silence is no sign of health.',
      },
    ];
  }

  private async availability(
    dataset: Dataset,
    asker: Asker,
    day: Window,
  ): Promise<ChecksAnswer['availability']> {
    const steps = stepsIn(day, STEPS);
    const none = { from: momentText(steps.from), step: steps.width / SECOND, lines: [] };
    if (!this.has(dataset, asker, PROBE)) return none;
    const { from, step, lines } = await this.series.query(dataset, asker, {
      steps: stepsIn(day, STEPS),
      metric: PROBE,
      where: {},
      by: ['check', 'site'],
      aggregate: 'avg',
    });
    return {
      from,
      step,
      lines: lines.map(({ labels, values }): AvailabilityLine => ({
        name: `${labels.check ?? ''} from ${labels.site ?? ''}`,
        values,
      })),
    };
  }

  private has(dataset: Dataset, asker: Asker, name: string): boolean {
    return this.series.search(dataset, asker, name, Infinity).metrics.some(({ metric }) => metric === name);
  }
}

const last = (values: readonly (number | null)[]): number | undefined =>
  values.findLast((value) => value !== null) ?? undefined;

const listed = (names: readonly string[]): string =>
  names.length <= 4 ? names.join(', ') : `${names.slice(0, 4).join(', ')} and ${names.length - 4} more`;

const hoursText = (seconds: number): string =>
  seconds < 2 * 86_400
    ? `${Math.max(1, Math.round(seconds / 3600))} h`
    : `${Math.round(seconds / 86_400)} days`;
