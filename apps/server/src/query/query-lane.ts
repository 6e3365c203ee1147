import {
  BrokenBlockError,
  addAllHistory,
  addFieldCounts,
  addSummary,
  countFields,
  countIn,
  emptySummary,
  type FieldCounts,
  summarise,
  type CountKey,
  countHistory,
  countLayouts,
  countSteps,
  countValues,
  decodeUtf8,
  packCounts,
  packHistories,
  type PatternLookup,
  type Rows,
  rowsOfSelection,
  select,
  type Selection,
  searchSegments,
  type SegmentView,
  volumeOf,
  addAllCounts,
  addVolume,
  carriedLine,
  emptyVolume,
  type LayoutCounts,
  linesOf,
  noiseOf,
  recordTexts,
  Redactor,
  rowsOf,
  type LayoutHistory,
} from '@flail/core';
import {
  addPoints,
  decodePoints,
  emptySteps,
  mergePoints,
  seriesLine,
  type SeriesPoints,
  type Stepped,
} from '@flail/core/series';
import { type Call, callsOf, type SpanPart, spanParts } from '@flail/core/topology';
import { workerData } from 'piscina';
import { SeriesReader } from '../series/series-reader.js';
import { SegmentGoneError } from '../store/segment-gone.js';
import { onThreadEnd } from '../platform/thread-end.js';
import { SegmentReader } from '../store/segment-reader.js';
import type {
  Answers,
  AskTask,
  BriefRecord,
  BrokenSegment,
  CallsTask,
  Carried,
  CarrySeriesTask,
  CarryTask,
  Exported,
  ExportTask,
  FetchedRecord,
  FetchTask,
  LaneAnswer,
  LaneTask,
  Question,
  SeriesTask,
} from './lane-tasks.js';

/** What the pool hands to each of its threads. */
interface LaneData {
  data: string;
  cacheBytes: number;
}

const encoder = new TextEncoder();
const own = workerData as LaneData;
const reader = new SegmentReader(own.data, own.cacheBytes);
onThreadEnd(() => reader.close());
const series = new SeriesReader(reader.database, own.cacheBytes / 4);

/** Answers one task; the only entrance of a query lane. */
export default async function lane(task: LaneTask): Promise<LaneAnswer> {
  try {
    reader.beginCounting();
    const broken: BrokenSegment[] = [];
    const value = await answer(task, broken);
    return { value, effort: { ...reader.counted(), broken, brokenChunks: series.brokenSince() } };
  } catch (error) {
    // The class of an error does not survive the way between threads.
    if (error instanceof SegmentGoneError) return { gone: error.segment };
    if (error instanceof BrokenBlockError) return { broken: error.column };
    throw error;
  }
}

function answer(task: LaneTask, broken: BrokenSegment[]): Promise<unknown> {
  switch (task.task) {
    case 'ask':
      return askAround(task, broken);
    case 'fetch':
      return fetchRecords(task, broken);
    case 'series':
      return seriesSteps(task);
    case 'calls':
      return calls(task, broken);
    case 'carry':
      return unlessBroken(() => carry(task), NOTHING_CARRIED, broken);
    case 'carry-series':
      return carrySeries(task);
    case 'export':
      return unlessBroken(() => exported(task), NOTHING_EXPORTED, broken);
    case 'close':
      return reader.close();
  }
}

/** Asks all segments but those that turn out to be damaged, which are noted. */
async function askAround(task: AskTask, broken: BrokenSegment[]): Promise<Answers[Question['kind']]> {
  let { segments } = task;
  for (;;) {
    try {
      return await ask({ ...task, segments });
    } catch (error) {
      if (!(error instanceof BrokenBlockError) || error.segment === undefined) throw error;
      const segment = Number(error.segment);
      broken.push({ segment, column: error.column });
      segments = segments.filter((id) => id !== segment);
    }
  }
}

async function ask(task: AskTask): Promise<Answers[Question['kind']]> {
  const patterns = lookupOf(task);
  // Segments are gone through side by side, so that what they read of the file is read in one go.
  const selected = await Promise.all(
    task.segments.map(async (id): Promise<Selected> => {
      const view = await reader.open(id);
      return { view, selection: await select(task.condition, view, patterns) };
    }),
  );
  return answerFrom(selected, task);
}

const lookupOf = ({ patterns, slots }: Pick<AskTask, 'patterns' | 'slots'>): PatternLookup =>
  Object.assign((ref: string) => patterns.get(ref) ?? { layouts: new Set<number>() }, slots && { slots });

/** The records of one segment that a question is about. */
interface Selected {
  view: SegmentView;
  selection: Selection;
}

async function answerFrom(
  selected: readonly Selected[],
  { question, slots }: AskTask,
): Promise<Answers[Question['kind']]> {
  const byRows = <T>(of: (view: SegmentView, rows: Rows) => Promise<T>): Promise<T[]> =>
    Promise.all(
      selected.map(async ({ view, selection }) => of(view, await rowsOfSelection(view, selection))),
    );
  switch (question.kind) {
    case 'summary':
      return Promise.all(
        question.windows.map(async (window) => {
          const sum = emptySummary();
          for (const part of await Promise.all(
            selected.map(({ view, selection }) =>
              summarise(view, selection, window, question.summary, slots),
            ),
          ))
            addSummary(sum, part);
          return sum;
        }),
      );
    case 'search':
      return searchSegments(selected, question.window, question.order, question.limit, question.cursor);
    case 'moments': {
      const { hits } = await searchSegments(selected, question.window, 'newest', question.limit);
      return hits.map(({ micros }) => micros);
    }
    case 'count':
      return Promise.all(
        question.windows.map(async (window) => {
          const counts = await Promise.all(
            selected.map(({ view, selection }) => countIn(view, selection, window)),
          );
          return counts.reduce((sum, count) => sum + count, 0);
        }),
      );
    case 'patterns': {
      const sum = new Map<CountKey, LayoutCounts>();
      for (const part of await byRows((view, rows) =>
        countLayouts(view, rows, question.focus, question.baseline, question.splits),
      ))
        addAllCounts(sum, part);
      return packCounts(sum);
    }
    case 'history': {
      const sum = new Map<CountKey, LayoutHistory>();
      const wanted = new Set(question.layouts);
      for (const part of await byRows((view, rows) =>
        countHistory(view, rows, question.focus, question.stretch, wanted, question.splits),
      ))
        addAllHistory(sum, part);
      return packHistories(sum);
    }
    case 'volume': {
      const sum = emptyVolume(question.steps);
      for (const part of await byRows((view, rows) => volumeOf(view, rows, question.window, question.steps)))
        addVolume(sum, part);
      return sum;
    }
    case 'noise':
      return (await byRows((view, rows) => noiseOf(view, rows, question.window))).flat();
    case 'values': {
      const sum = new Map<string, number>();
      const { window, field, limit } = question;
      for (const part of await byRows((view, rows) => countValues(view, rows, window, field, limit)))
        for (const [value, count] of part) sum.set(value, (sum.get(value) ?? 0) + count);
      return sum;
    }
    case 'differences': {
      const sum = new Map<string, FieldCounts>();
      for (const part of await byRows(async (view, rows) => {
        const fields = question.fields ?? ['level', 'service', 'source', ...(await fieldsOf(view))];
        return countFields(view, rows, question.focus, question.baseline, fields, slots);
      }))
        addFieldCounts(sum, part);
      return sum;
    }
    case 'layout steps': {
      const wanted = new Set(question.layouts);
      return byRows((view, rows) => countSteps(view, rows, question.steps, wanted));
    }
    case 'fields':
      return [...new Set((await Promise.all(selected.map(({ view }) => fieldsOf(view)))).flat())];
  }
}

/** Of fields that are too many to have a column each, so many of the commonest are told of. */
const PACKED_TOLD = 100;

/** Fields of a segment's lines and of their senders. */
async function fieldsOf(view: SegmentView): Promise<string[]> {
  const packed = [...(await view.packed())].sort(([, a], [, b]) => b.rows.length - a.rows.length);
  return [
    ...new Set([
      ...view.ownFields,
      ...packed.slice(0, PACKED_TOLD).map(([name]) => name),
      ...view.summary.contexts.flatMap((id) => Object.keys(view.catalog.context(id).attributes)),
    ]),
  ];
}

async function seriesSteps({ steps, groups, members }: SeriesTask): Promise<Stepped[]> {
  const stored = await series.points(
    members.map(({ id }) => id),
    steps.from,
    steps.from + steps.width * steps.count,
  );
  const sums = Array.from({ length: groups }, () => emptySteps(steps));
  for (const { id, group, fresh, ...of } of members) {
    const points = mergePoints([...(stored.get(id) ?? []), ...fresh.map(decodePoints)]);
    addPoints(sums[group]!, points, of, steps);
  }
  return sums;
}

async function calls({ window, segments }: CallsTask, broken: BrokenSegment[]): Promise<Call[]> {
  const parts: SpanPart[] = [];
  for (const id of segments) {
    const read = async (): Promise<SpanPart[]> => spanParts(await reader.open(id), window);
    for (const part of await unlessBroken(read, [], broken)) parts.push(part);
  }
  return callsOf(parts);
}

const NOTHING_CARRIED: Carried = { records: 0, bytes: new Uint8Array(0) };
const NOTHING_EXPORTED: Exported = {
  times: new Float64Array(0),
  seqs: new Float64Array(0),
  ends: new Uint32Array(0),
  bytes: new Uint8Array(0),
};

/** What a reading brings; where a block is damaged that is noted, and it brings nothing. */
async function unlessBroken<T>(read: () => Promise<T>, nothing: T, broken: BrokenSegment[]): Promise<T> {
  try {
    return await read();
  } catch (error) {
    if (!(error instanceof BrokenBlockError) || error.segment === undefined) throw error;
    broken.push({ segment: Number(error.segment), column: error.column });
    return nothing;
  }
}

async function carry({ segment, window, senders, redacted }: CarryTask): Promise<Carried> {
  const view = await reader.open(segment);
  const [times, contexts] = [await view.times(), await view.contexts()];
  const places = view.summary.contexts.map((id) => senders.get(id));
  if (places.every((place) => place === undefined)) return { records: 0, bytes: new Uint8Array(0) };
  const lineOf = await linesOf(view);
  const redactor = redacted && new Redactor(redacted);
  const lines: string[] = [];
  for (let row = 0; row < view.count; row++) {
    const place = places[contexts[row]!];
    const micros = times[row]!;
    if (place !== undefined && micros >= window.from && micros < window.to)
      lines.push(carriedLine(place, micros, redactor ? redactor.text(textOf(lineOf(row))) : lineOf(row)));
  }
  return { records: lines.length, bytes: encoder.encode(lines.join('')) };
}

const textOf = (line: string | Uint8Array): string => (typeof line === 'string' ? line : decodeUtf8(line));

async function exported(task: ExportTask): Promise<Exported> {
  const view = await reader.open(task.segment);
  const rows = await rowsOfSelection(view, await select(task.condition, view, lookupOf(task)));
  const times = await view.times();
  const seqs = await view.seqs();
  const [from, to] = rowsOf(times, task.window);
  const chosen: number[] = [];
  for (let row = from; row < to; row++)
    if (rows === true || (rows as Uint8Array)[row] === 1) chosen.push(row);
  const textOf = chosen.length === 0 ? undefined : await recordTexts(view, task.format, task.columns);
  const parts = chosen.map((row) => {
    const written = textOf!(row);
    return typeof written === 'string' ? encoder.encode(written) : written;
  });
  const bytes = new Uint8Array(parts.reduce((sum, { length }) => sum + length, 0));
  const ends = new Uint32Array(parts.length);
  let at = 0;
  parts.forEach((part, index) => {
    bytes.set(part, at);
    at += part.length;
    ends[index] = at;
  });
  return {
    times: Float64Array.from(chosen, (row) => times[row]!),
    seqs: Float64Array.from(chosen, (row) => seqs[row]!),
    ends,
    bytes,
  };
}

/** Points that one line carries at most. */
const POINTS_OF_LINE = 2000;

async function carrySeries({ window, series: wanted }: CarrySeriesTask): Promise<Carried> {
  const stored = await series.points(
    wanted.map(({ id }) => id),
    window.from,
    window.to,
  );
  const lines: string[] = [];
  let records = 0;
  for (const { id, fresh, exemplars, ...identity } of wanted) {
    const points = mergePoints([...(stored.get(id) ?? []), ...fresh.map(decodePoints)]);
    const [from, to] = [firstFrom(points.times, window.from), firstFrom(points.times, window.to)];
    for (let at = from; at < to; at += POINTS_OF_LINE) {
      const part = partOf(points, at, Math.min(to, at + POINTS_OF_LINE));
      lines.push(seriesLine({ series: identity, points: part, exemplars: at === from ? exemplars : [] }));
    }
    records += to - from;
  }
  return { records, bytes: encoder.encode(lines.join('')) };
}

/** Index of the first time that is not before a moment. */
function firstFrom(times: Float64Array, moment: number): number {
  const at = times.findIndex((time) => time >= moment);
  return at < 0 ? times.length : at;
}

const partOf = ({ times, columns }: SeriesPoints, from: number, to: number): SeriesPoints => ({
  times: times.subarray(from, to),
  columns: new Map([...columns].map(([name, numbers]) => [name, numbers.subarray(from, to)])),
});

async function fetchRecords(
  { places, brief = false }: FetchTask,
  broken: BrokenSegment[],
): Promise<(FetchedRecord | BriefRecord)[]> {
  const records: (FetchedRecord | BriefRecord)[] = [];
  for (const place of places) {
    if (broken.some(({ segment }) => segment === place.segment)) continue;
    const record = await unlessBroken(() => fetchRecord(place, brief), undefined, broken);
    if (record) records.push(record);
  }
  return records;
}

async function fetchRecord(
  { segment, row }: FetchTask['places'][number],
  brief: boolean,
): Promise<FetchedRecord | BriefRecord> {
  const view = await reader.open(segment);
  const layout = view.layout((await view.layouts())[row]!);
  const slotValues = await view.slotValues(row);
  const slots: [number, number][] = [];
  let at = 0;
  slotValues.forEach((value, index) => {
    at += layout.literals[index]!.length;
    slots.push([at, at + value.length]);
    at += value.length;
  });
  if (brief) return { segment, row, layout: layout.id, slotValues };
  const context = view.catalog.context(view.summary.contexts[(await view.contexts())[row]!]!);
  return {
    segment,
    row,
    seq: (await view.seqs())[row]!,
    micros: (await view.times())[row]!,
    level: (await view.levels())[row]!,
    service: view.summary.services[(await view.services())[row]!]!,
    source: context.source,
    layout: layout.id,
    text: await view.text(row),
    slots,
    slotValues,
    slotTypes: layout.types,
    fields: Object.fromEntries(await view.fields(row)),
    line: decodeUtf8(await view.line(row)),
  };
}
