import { deviationOf, kindOf, type Moved } from '@flail/core/onsets';
import { operationOf } from '@flail/core/requests';
import { requestSeries } from '@flail/core/impact';
import {
  type Aggregate,
  addSteps,
  aggregate,
  decodePoints,
  mergePoints,
  type Stepped,
  stepsOf,
} from '@flail/core/series';
import type { SeriesReader } from '../series/series-reader.js';
import type { OnsetsQuestion, Subject } from './analysis-tasks.js';
import type { RequestData } from './request-data.js';

const SECOND = 1_000_000;
/** Measurements in a step from which on its percentiles and shares are told. */
const FIRM = 10;
/** Series that are read in one go. */
const AT_ONCE = 40;

type Figure = 'gauge' | 'rate' | 'percentile' | 'share';

/** Looks through all series, and the figures of requests, for what left its normal range in the focus. */
export async function scanSeries(
  data: RequestData,
  series: SeriesReader,
  subject: Subject,
  { steps, members }: OnsetsQuestion,
): Promise<{ moved: Moved[]; scanned: number }> {
  const focus = { from: subject.window.from / SECOND, to: subject.window.to / SECOND };
  const moved: Moved[] = [];
  let scanned = 0;
  const [from, width] = [steps.from / SECOND, steps.width / SECOND];
  const histograms = new Map<string, { measure: string; unit: string; service: string; stepped: Stepped }>();
  const look = (
    of: Omit<Moved, 'deviation' | 'kind'>,
    figure: Figure,
    values: readonly number[],
    from: number,
    step: number,
  ): void => {
    scanned++;
    const deviation = deviationOf({ from, step, values }, focus);
    if (deviation) moved.push({ ...of, kind: kindOf(of.measure, of.unit, figure), deviation });
  };
  for (let at = 0; at < members.length; at += AT_ONCE) {
    const part = members.slice(at, at + AT_ONCE);
    const stored = await series.points(
      part.map(({ id }) => id),
      steps.from,
      steps.from + steps.width * steps.count,
    );
    for (const { id, fresh, metric, unit, kind, total, labels } of part) {
      const points = mergePoints([...(stored.get(id) ?? []), ...fresh.map(decodePoints)]);
      const stepped = stepsOf(points, { kind, total }, steps);
      const { service = '', ...rest } = labels;
      const member = rest.instance ?? rest.host ?? Object.values(rest).join(', ');
      const measure = tagged(metric, rest);
      const of = (how: Aggregate): number[] => [...aggregate(stepped, how, { kind }, steps)];
      const found = { id: String(id), measure, service, member };
      if (kind === 'histogram') {
        // Percentiles of single members are told from a few values a minute; those of all together are firmer.
        const key = `${service}\n${measure}`;
        const sum = histograms.get(key);
        if (sum) addSteps(sum.stepped, stepped);
        else histograms.set(key, { measure, unit, service, stepped });
      } else if (kind === 'gauge') look({ ...found, unit }, 'gauge', of('avg'), from, width);
      else look({ ...found, unit: `${unit}/s` }, 'rate', of('rate'), from, width);
    }
  }
  for (const { measure, unit, service, stepped } of histograms.values()) {
    const of = (how: Aggregate): number[] => [...aggregate(stepped, how, { kind: 'histogram' }, steps)];
    const found = { id: `${service} ${measure}`, service, member: service };
    look({ ...found, measure: `${measure} count`, unit: '/s' }, 'rate', of('rate'), from, width);
    const firm = of({ percentile: 95 }).map((value, at) => (stepped.count[at]! >= FIRM ? value : NaN));
    look({ ...found, measure: `${measure} p95`, unit }, 'percentile', firm, from, width);
  }
  const past = { from: steps.from, to: subject.window.to };
  const requests = await data.requests(subject, past);
  const byOperation = new Map<string, (typeof requests)[number][]>();
  for (const request of requests) {
    const own = byOperation.get(operationOf(request));
    if (own) own.push(request);
    else byOperation.set(operationOf(request), [request]);
  }
  for (const own of byOperation.values()) {
    const { service, name } = own[0]!;
    const of = requestSeries(own, past, width);
    const { rate, failedShare } = of;
    const enough = rate.map((count) => (count * width) / 60 >= FIRM);
    const firm = (values: readonly number[]): number[] =>
      values.map((value, at) => (enough[at] ? value : NaN));
    for (const [what, unit, figure, values] of [
      ['requests', '/min', 'rate', rate],
      ['share that fails', 'share', 'share', firm(failedShare)],
      ['median duration', 's', 'percentile', firm(of.p50)],
      ['p95 duration', 's', 'percentile', firm(of.p95)],
    ] as const)
      look(
        { id: `${service} ${name} ${what}`, measure: what, unit, service, member: name },
        figure,
        values,
        of.from,
        of.step,
      );
  }
  return { moved, scanned };
}

/** Labels that tell single machines apart are members; others are part of what is measured. */
const PLACES = new Set(['instance', 'host', 'site', 'service.version']);

function tagged(name: string, labels: Readonly<Record<string, string>>): string {
  const kinds = Object.entries(labels).filter(([label]) => !PLACES.has(label));
  return kinds.length === 0 ? name : `${name} (${kinds.map(([, value]) => value).join(', ')})`;
}
