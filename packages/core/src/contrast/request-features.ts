import { holds, type Rows } from '../query/selection.js';
import type { SlotPlaces } from '../query/row-values.js';
import { rowsOf, type Window } from '../query/window.js';
import { fieldReader, nameReader, SPAN_OWN } from '../requests/span.js';
import type { Ran } from '../requests/beside.js';
import type { Regular } from '../series/normal.js';
import type { SegmentView } from '../segments/view.js';
import type { Features } from './features.js';

/** A request as far as its features are gathered. */
export interface ContrastItem {
  trace: string;
  /** Microseconds since 1970. */
  at: number;
  seconds: number;
}

/** Fields that name places of a service rather than what was asked. */
const PLACES = ['instance', 'host', 'site', 'service.version'];
/** What is told of a span as a part of it, not as a field. */
const OWN = new Set<string>([
  ...SPAN_OWN,
  'nanos',
  'events',
  'links',
  'service',
  'source',
  'scope.name',
  'peer.service',
]);
/** Operations, patterns and slots that are looked at, at most. */
const MOST_PATTERNS = 60;

/** Rows of a segment that belong to items, and to which. */
async function rowsOfItems(
  view: SegmentView,
  window: Window,
  visible: Rows,
  places: ReadonlyMap<string, number>,
): Promise<{ row: number; item: number }[]> {
  const [from, to] = rowsOf(await view.times(), window);
  if (from === to || visible === false) return [];
  const trace = await fieldReader(view, 'trace');
  const found: { row: number; item: number }[] = [];
  for (let row = from; row < to; row++) {
    if (!holds(visible, row)) continue;
    const item = places.get(trace(row));
    if (item !== undefined) found.push({ row, item });
  }
  return found;
}

/** Gathers what the spans of requests tell: fields, where each service ran, and how often and how long each operation was called. */
export async function addSpanFeatures(
  features: Features,
  view: SegmentView,
  window: Window,
  visible: Rows,
  places: ReadonlyMap<string, number>,
): Promise<void> {
  const rows = await rowsOfItems(view, window, visible, places);
  if (rows.length === 0) return;
  const [services, contexts, durations, peer, name] = await Promise.all([
    view.services(),
    view.contexts(),
    view.fieldNumbers('duration'),
    fieldReader(view, 'peer.service'),
    nameReader(view),
  ]);
  await addFields(features, view, rows, new Set([...OWN, ...PLACES]));
  const senders = view.summary.contexts.map((id) => view.catalog.context(id).attributes);
  for (const { row, item } of rows) {
    const service = view.summary.services[services[row]!]!;
    const sender = senders[contexts[row]!]!;
    for (const place of PLACES) {
      const value = sender[place];
      if (value !== undefined) features.value({ kind: 'field', name: place, service }, item, value);
    }
    const other = peer(row);
    const operation = other === '' ? name(row) : `${name(row)} of ${other}`;
    features.add({ kind: 'calls', name: operation, service }, item, 1);
    const seconds = durations?.values[row] ?? NaN;
    if (!Number.isNaN(seconds))
      features.add({ kind: 'time', name: operation, service, unit: 's' }, item, seconds);
  }
}

async function addFields(
  features: Features,
  view: SegmentView,
  rows: readonly { row: number; item: number }[],
  without: ReadonlySet<string>,
): Promise<void> {
  for (const field of view.ownFields) {
    if (without.has(field)) continue;
    const found = await view.fieldCodes(field);
    if (!found) continue;
    const name = { kind: 'field', name: field } as const;
    for (const { row, item } of rows) {
      const code = found.codes[row]!;
      if (code >= 0) features.value(name, item, found.values[code]!);
    }
  }
}

/**
 * Gathers what the lines of requests tell: the patterns that they hit, the fields of the lines, and the values in the
 * slots of the patterns that many hit.
 *
 * @param patternOf the pattern of a layout
 * @param slotPlaces where a layout has the slots of its pattern, where that has several layouts
 * @returns how many items each pattern was hit by
 */
export async function addLineFeatures(
  features: Features,
  views: readonly { view: SegmentView; visible: Rows }[],
  window: Window,
  places: ReadonlyMap<string, number>,
  patternOf: ReadonlyMap<number, string>,
  slotPlaces: SlotPlaces,
): Promise<void> {
  const hits = new Map<string, Set<number>>();
  const own: { view: SegmentView; rows: { row: number; item: number }[] }[] = [];
  for (const { view, visible } of views) {
    const rows = await rowsOfItems(view, window, visible, places);
    if (rows.length === 0) continue;
    own.push({ view, rows });
    const layouts = await view.layouts();
    const patterns = view.summary.layouts.map((layout) => patternOf.get(layout));
    for (const { row, item } of rows) {
      const pattern = patterns[layouts[row]!];
      if (pattern === undefined) continue;
      features.flag({ kind: 'pattern', name: pattern, pattern }, item);
      const known = hits.get(pattern);
      if (known) known.add(item);
      else hits.set(pattern, new Set([item]));
    }
    await addFields(features, view, rows, new Set([...OWN, ...PLACES, 'run', 'level']));
  }
  const common = new Set(
    [...hits]
      .sort(([a, x], [b, y]) => y.size - x.size || (a < b ? -1 : 1))
      .slice(0, MOST_PATTERNS)
      .map(([pattern]) => pattern),
  );
  for (const { view, rows } of own) {
    const [layouts, ranks] = [await view.layouts(), await view.ranks()];
    for (const { row, item } of rows) {
      const code = layouts[row]!;
      const pattern = patternOf.get(view.summary.layouts[code]!);
      if (pattern === undefined || !common.has(pattern)) continue;
      const slots = await view.slots(code);
      const rank = ranks[row]!;
      const tell = (at: number, value: string): void =>
        features.value({ kind: 'slot', name: pattern, pattern, slot: at + 1 }, item, value);
      const layoutPlaces = slotPlaces.get(view.summary.layouts[code]!);
      if (layoutPlaces)
        layoutPlaces.forEach((place, at) => {
          if (place) tell(at, 'word' in place ? place.word : slots[place.slot]!.get(rank));
        });
      else slots.forEach((column, at) => tell(at, column.get(rank)));
    }
  }
}

/** Gathers how the instances on the way of requests stood at that moment, by the levels that are measured of each. */
export function addMetricFeatures(
  features: Features,
  items: readonly ContrastItem[],
  series: readonly { metric: string; unit: string; service: string; instance: string; series: Regular }[],
): void {
  for (const {
    metric,
    unit,
    service,
    instance,
    series: { from, step, values },
  } of series) {
    const on = features.codes({ kind: 'field', name: 'instance', service });
    const wanted = on?.values.indexOf(instance) ?? -1;
    if (!on || wanted < 0) continue;
    items.forEach(({ at }, item) => {
      if (on.codes[item] !== wanted) return;
      const value = values[Math.floor((at / 1e6 - from) / step)];
      if (value !== undefined && !Number.isNaN(value))
        features.number({ kind: 'metric', name: metric, service, unit }, item, value);
    });
  }
}

/** Gathers beside runs of which jobs requests went on. */
export function addRunFeatures(
  features: Features,
  items: readonly ContrastItem[],
  runs: readonly Ran[],
): void {
  const byJob = new Map<string, Ran[]>();
  for (const run of runs) {
    const own = byJob.get(run.job);
    if (own) own.push(run);
    else byJob.set(run.job, [run]);
  }
  for (const [job, own] of byJob) {
    own.sort((a, b) => a.from - b.from);
    const longest = own.reduce((most, { from, to }) => Math.max(most, to - from), 0);
    items.forEach(({ at, seconds }, item) => {
      const end = at + seconds * 1e6;
      // From the last that began before its end back to where none can reach it.
      for (let next = lastBefore(own, end); next >= 0 && own[next]!.from >= at - longest; next--)
        if (own[next]!.to >= at) {
          features.flag({ kind: 'run', name: job }, item);
          break;
        }
    });
  }
}

function lastBefore(runs: readonly Ran[], moment: number): number {
  let low = 0;
  let high = runs.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (runs[middle]!.from <= moment) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}
