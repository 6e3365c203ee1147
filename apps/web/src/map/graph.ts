import type { CallBody, RequestsWayAnswer, RunBody, TopologyAnswer } from '@flail/contract';
import { layersOf } from '@flail/core/topology';
import { percent, plural } from '../format/numbers.js';
import { secondsText } from '../format/figures.js';

/** What stands on the map: a service or store, or a job. */
export interface MapNode {
  name: string;
  kind: 'service' | 'job';
  layer: number;
  place: number;
}

/** Calls from one to another, in both windows. */
export interface MapCall {
  from: string;
  to: string;
  focus: CallBody | undefined;
  baseline: CallBody | undefined;
}

export interface MapGraph {
  nodes: MapNode[];
  calls: MapCall[];
}

/** The calls of both windows, and the jobs that ran, as one map. */
export function graphOf(
  focus: TopologyAnswer,
  baseline: TopologyAnswer | undefined,
  runs: readonly Pick<RunBody, 'job' | 'entity' | 'state'>[],
): MapGraph {
  const calls = new Map<string, MapCall>();
  const call = (from: string, to: string): MapCall => {
    const key = `${from}\n${to}`;
    let own = calls.get(key);
    if (!own) calls.set(key, (own = { from, to, focus: undefined, baseline: undefined }));
    return own;
  };
  for (const one of focus.calls) call(one.from, one.to).focus = one;
  for (const one of baseline?.calls ?? []) call(one.from, one.to).baseline = one;
  const jobs = new Set<string>();
  for (const { job, entity, state } of runs) {
    if (entity.service === undefined) continue;
    jobs.add(job);
    const own = call(job, entity.service);
    own.focus ??= { from: job, to: entity.service, calls: 0, failed: 0, duration: 0, p95: 0 };
    own.focus.calls++;
    if (state === 'failed') own.focus.failed++;
  }
  const all = [...calls.values()];
  // Whoever neither calls nor is called has no place on a map of calls.
  const names = [...new Set(all.flatMap(({ from, to }) => [from, to]))];
  const nodes = layersOf(names, all).map((place): MapNode => ({
    ...place,
    kind: jobs.has(place.name) ? 'job' : 'service',
  }));
  return { nodes, calls: all };
}

export const failedShare = (call: CallBody | undefined): number =>
  call === undefined || call.calls === 0 ? 0 : call.failed / call.calls;

/** Calls fail when more than this share does, as on Health. */
export const TOLERANCE = 0.01;

/** Where calls fail, in one sentence: the call that fails and leads to no other that does. */
export function mapFinding({ calls }: MapGraph): string {
  const failing = calls.filter(({ focus }) => failedShare(focus) > TOLERANCE);
  if (calls.length === 0) return 'No calls here.';
  if (failing.length === 0)
    return `No more than ${percent(TOLERANCE)} fail of any of ${calls.length} kinds of call.`;
  const last = failing
    .filter(({ to }) => !failing.some(({ from }) => from === to))
    .sort((a, b) => failedShare(b.focus) - failedShare(a.focus))[0];
  const kinds = failing.length === 1 ? 'One kind of call fails' : `${failing.length} kinds of call fail`;
  if (!last) return `${kinds}.`;
  return `${kinds}; the last on their way is ${last.from} → ${last.to}: ${percent(failedShare(last.focus))} fail, ${percent(failedShare(last.baseline))} in the baseline.`;
}

/** Requests whose way can be lit, and how they are called. */
export const WAYS = [
  { value: 'none', label: 'no way lit', words: '' },
  { value: 'failed', label: 'of the failing', words: 'failing request' },
  { value: 'slow', label: 'of the slow', words: 'slow request' },
  { value: 'all', label: 'of all in scope', words: 'request' },
] as const;
export type Way = (typeof WAYS)[number]['value'];
export type LitWay = Exclude<Way, 'none'>;

const keyOf = ({ from, to }: { from: string; to: string }): string => `${from}\n${to}`;

/** Share of the requests on whose way a call lies. */
export function sharesOf({
  calls,
  looked,
}: RequestsWayAnswer): (call: { from: string; to: string }) => number {
  const shares = new Map(calls.map((call) => [keyOf(call), call.requests / Math.max(1, looked)]));
  return (call) => shares.get(keyOf(call)) ?? 0;
}

/** Calls that are left out of the sentence of a way: few of the requests make them. */
const SELDOM = 0.05;

/** The way of requests in one sentence: by which calls all go, and where most of them fail. */
export function wayFinding(way: LitWay, { looked, of, calls }: RequestsWayAnswer): string {
  const words = WAYS.find(({ value }) => value === way)!.words;
  if (of === 0) return `No ${words} here.`;
  const whole = `${looked < of ? `${looked.toLocaleString('en')} of ` : ''}${plural(of, words)}`;
  const worth = calls.filter(({ requests }) => requests > SELDOM * looked);
  if (worth.length === 0) return `Of ${whole} none calls another service.`;
  // A call that fails because one further on does only passes it on.
  const failing = worth.filter(({ failed }) => failed > SELDOM * looked);
  const last = failing
    .filter(({ to }) => !failing.some(({ from }) => from === to))
    .sort((a, b) => b.failed - a.failed)[0];
  const services = new Set(worth.flatMap(({ from, to }) => [from, to])).size;
  const where = last
    ? `; the last that fails on it is ${last.from} → ${last.to}, in ${percent(last.failed / looked)} of them`
    : '';
  return `The way of ${whole} lies over ${plural(services, 'service')}${where}.`;
}

/** The figures of a call against the baseline. */
export function callText({ focus, baseline }: MapCall): string {
  const of = (call: CallBody | undefined): string =>
    call === undefined
      ? 'none'
      : `${Math.round(call.calls).toLocaleString('en')}, ${percent(failedShare(call))} failed${call.p95 > 0 ? `, 95% under ${secondsText(call.p95)}` : ''}`;
  return `${of(focus)}; baseline: ${of(baseline)}`;
}

/** An instance of a service, put together from what its lines and its spans tell of it. */
export interface MapInstance {
  instance: string;
  host?: string;
  site?: string;
  records: number;
}

/** The instances of a service by name: what one kind of record does not tell of an instance, another may. */
export function instancesOf(
  { entities }: Pick<TopologyAnswer, 'entities'>,
  of: (service: string) => boolean,
): MapInstance[] {
  const found = new Map<string, MapInstance>();
  for (const { service, instance, host, site, records } of entities) {
    if (instance === undefined || !of(service)) continue;
    const own = found.get(instance) ?? { instance, records: 0 };
    found.set(instance, {
      ...own,
      ...(host !== undefined && { host }),
      ...(site !== undefined && { site }),
      records: own.records + records,
    });
  }
  return [...found.values()].sort((a, b) => a.instance.localeCompare(b.instance, 'en', { numeric: true }));
}
