import type { EntityHealth, FigureBody, HealthAnswer, ObjectiveState } from '@flail/contract';
import { momentText } from '@flail/core/time';
import {
  budgetLeft,
  burnOf,
  failingSince,
  firstSince,
  type Figure,
  figureOf,
  hoursOf,
  requestSeries,
  retriedOf,
  sumsSince,
  timeLeft,
} from '@flail/core/impact';
import type { SegmentView, Window } from '@flail/core';
import {
  operationsOf,
  type Request,
  slowLimits,
  type Span,
  tallyOf,
  type TraceTree,
} from '@flail/core/requests';
import type { OverviewQuestion, Subject } from './analysis-tasks.js';
import type { RequestData } from './request-data.js';

const SECOND = 1e6;
const DAY = 86_400 * SECOND;
/** How far back what is normal is told from. */
const PAST = 8 * DAY;
/** Seconds over which burning is looked at. */
const BURNS = [300, 3600, 21_600, 259_200];
/** What failed so shortly before the end of a window goes on, microseconds. */
const GOES_ON = 300 * SECOND;
/** Requests whose spans are looked at for instances, at most; of more the newest. */
const MOST = 10_000;
/** Fields that name who asks. */
const CLIENTS = ['enduser.id', 'user.id', 'session.id', 'client.address'];

/** The figures of Health that are told from requests. */
export async function overview(
  data: RequestData,
  subject: Subject,
  { tolerance, step, objectives }: OverviewQuestion,
): Promise<Omit<HealthAnswer, 'missing' | 'business' | 'runs'>> {
  const { window, baseline } = subject;
  const past = { from: window.to - PAST, to: window.to };
  const all = await data.requests(subject, past);
  const focus = all.slice(firstSince(all, window.from));
  const before = baseline ? await data.requests(subject, baseline) : [];
  const slow = slowLimits(before.length > 0 ? [...before, ...focus] : focus);
  const held = { from: Math.max(past.from, all[0]?.at ?? window.from), to: window.to };
  const series = requestSeries(all, held, step);
  const seconds = { from: window.from / SECOND, to: window.to / SECOND };
  const figure = (name: string, unit: string, values: number[]): FigureBody =>
    figureBody(name, unit, figureOf({ from: series.from, step, values }, seconds));
  const failing = failingOf(focus, before, window, tolerance);
  return {
    tolerance,
    focus: tallyOf(focus, slow),
    ...(baseline && { baseline: tallyOf(before, slow) }),
    figures: [
      figure('requests a minute', '/min', series.rate),
      figure('share that fails', 'share', series.failedShare),
      figure('half take less than', 's', series.p50),
      figure('95% take less than', 's', series.p95),
    ],
    hours: hoursOf(all, window.to, 24).map(({ from, ...hour }) => ({ from: momentText(from), ...hour })),
    ...(failing && { failing }),
    retried: await retries(data, subject, focus),
    objectives: statesOf(objectives, all, window.to),
    entities: entitiesOf(
      await data.trees(subject, window, new Set(focus.slice(-MOST).map(({ trace }) => trace))),
    ),
  };
}

/** What fails beyond the tolerance, and since when: requests in all, or those of one operation. */
function failingOf(
  focus: readonly Request[],
  before: readonly Request[],
  window: Window,
  tolerance: number,
): HealthAnswer['failing'] {
  const sum = (requests: readonly Request[], failed: boolean): number =>
    requests.reduce((all, { weight, outcome }) => all + (failed && outcome !== 'failed' ? 0 : weight), 0);
  const body = (requests: readonly Request[], operation?: string): HealthAnswer['failing'] => {
    const span = failingSince(requests, window, tolerance);
    return (
      span && {
        ...(operation !== undefined && { operation }),
        share: sum(requests, true) / sum(requests, false),
        from: momentText(span.from),
        to: momentText(span.to),
        goesOn: span.to >= window.to - GOES_ON,
      }
    );
  };
  if (sum(focus, true) > tolerance * sum(focus, false)) return body(focus);
  const worst = operationsOf(focus, before).find(
    ({ focus: own, failsOtherwise, excess }) =>
      failsOtherwise && excess > 0 && own.failed > tolerance * own.requests,
  );
  if (!worst) return undefined;
  const { service, name } = worst;
  return body(
    focus.filter((request) => request.service === service && request.name === name),
    name,
  );
}

export function figureBody(name: string, unit: string, figure: Figure): FigureBody {
  const { value, usual, verdict, from, step, values, low, high, stretch } = figure;
  const told = (numbers: readonly number[]): (number | null)[] =>
    numbers.map((number) => (Number.isNaN(number) ? null : number));
  return {
    name,
    unit,
    ...(!Number.isNaN(value) && { value }),
    ...(!Number.isNaN(usual) && { usual }),
    verdict,
    from: momentText(from * SECOND),
    step,
    values: told(values),
    low: told(low),
    high: told(high),
    ...(stretch && { stretch: { ...stretch, from: momentText(stretch.from * SECOND) } }),
  };
}

/** How objectives stand. */
function statesOf(
  objectives: readonly ObjectiveState['objective'][],
  all: readonly Request[],
  until: number,
): ObjectiveState[] {
  const lengths = [...BURNS, ...objectives.map(({ days }) => days * 86_400)];
  const sums = sumsSince(
    all,
    lengths.map((length) => until - length * SECOND),
  );
  return objectives.map((objective, number) => {
    const { service, operation, target, days } = objective;
    const own = sums.filter(
      (sum) =>
        (service === undefined || sum.service === service) &&
        (operation === undefined || sum.name === operation),
    );
    const within = (at: number): { length: number; all: number; failed: number } => ({
      length: lengths[at]!,
      all: own.reduce((sum, one) => sum + one.all[at]!, 0),
      failed: own.reduce((sum, one) => sum + one.failed[at]!, 0),
    });
    const promise = { target, period: days * 86_400 };
    const burns = burnOf(
      promise,
      BURNS.map((_, at) => within(at)),
    );
    const left = budgetLeft(promise, within(BURNS.length + number));
    const lasts = timeLeft(promise, left, burns[1]!);
    return {
      objective,
      burns: burns.map(({ length, all: requests, failed, rate }) => ({
        seconds: length,
        all: requests,
        failed,
        rate,
      })),
      left: Math.max(left, -1e6),
      ...(Number.isFinite(lasts) && { lasts }),
    };
  });
}

async function retries(
  data: RequestData,
  { spans }: Subject,
  focus: readonly Request[],
): Promise<HealthAnswer['retried']> {
  const sampled = focus.some(({ weight }) => weight > 1);
  if (!focus.some(({ outcome }) => outcome === 'failed'))
    return { failed: 0, again: 0, recovered: 0, sampled };
  const bySegment = new Map<string, Request[]>();
  for (const request of focus) {
    const own = bySegment.get(request.segment);
    if (own) own.push(request);
    else bySegment.set(request.segment, [request]);
  }
  const segments = [...bySegment.keys()].map(Number);
  const views = await data.views({ ...spans, segments }, { from: -Infinity, to: Infinity });
  const readers = new Map(
    await Promise.all(views.map(async (view) => [view.key, await clientReader(view)] as const)),
  );
  const keyOf = (request: Request): string => {
    const client = readers.get(request.segment)?.(request.row) ?? '';
    return client === '' ? '' : `${request.service}\n${request.name}\n${client}`;
  };
  // Only what has the key of a failing request can be another try of it.
  const failing = new Set(focus.filter(({ outcome }) => outcome === 'failed').map(keyOf));
  failing.delete('');
  const keyed: (Request & { key: string })[] = [];
  for (const request of focus) {
    const key = keyOf(request);
    if (failing.has(key)) keyed.push({ ...request, key });
  }
  return { ...retriedOf(keyed), sampled };
}

/** Reads who asked, as far as a first span says so; empty where it does not. */
async function clientReader(view: SegmentView): Promise<(row: number) => string> {
  const fields = (await Promise.all(CLIENTS.map((name) => view.field(name)))).filter(
    (field) => field !== undefined,
  );
  return (row) => {
    let client = '';
    for (const { rows, column } of fields)
      if (rows[row]! >= 0) client += `${client === '' ? '' : '\n'}${column.get(rows[row]!)}`;
    return client;
  };
}

function entitiesOf(trees: ReadonlyMap<string, TraceTree<Span>>): EntityHealth[] {
  const found = new Map<
    string,
    { service: string; instance: string; failed: number; all: number; times: number[] }
  >();
  for (const { nodes } of trees.values())
    for (const { span } of nodes) {
      const { instance } = span.sender;
      if (instance === undefined || (span.kind !== 'server' && span.kind !== 'consumer')) continue;
      const key = `${span.service}\n${instance}`;
      let one = found.get(key);
      if (!one) found.set(key, (one = { service: span.service, instance, failed: 0, all: 0, times: [] }));
      one.all += span.weight;
      if (span.failed) one.failed += span.weight;
      one.times.push((span.to - span.from) / SECOND);
    }
  return [...found.values()]
    .map(({ service, instance, failed, all, times }): EntityHealth => {
      times.sort((a, b) => a - b);
      return { service, instance, calls: all, failed, p95: times[Math.floor(0.95 * (times.length - 1))]! };
    })
    .sort((a, b) => b.failed / b.calls - a.failed / a.calls || b.p95 - a.p95);
}
