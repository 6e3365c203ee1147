import {
  BrokenBlockError,
  addAllHistory,
  addFieldCounts,
  addSummary,
  countFields,
  emptySummary,
  type FieldCounts,
  summarise,
  type CountKey,
  countHistory,
  countLayouts,
  countValues,
  decodeUtf8,
  overlaps,
  packCounts,
  packHistories,
  type PatternLookup,
  type Rows,
  rowsOfSelection,
  select,
  type Selection,
  searchSegment,
  type SegmentView,
  volumeOf,
  addAllCounts,
  addVolume,
  emptyVolume,
  mergeHits,
  type Hits,
  type LayoutCounts,
  type LayoutHistory,
  type Window,
} from '@flail/core';
import { workerData } from 'piscina';
import { SegmentGoneError } from '../store/segment-gone.js';
import { SegmentReader } from '../store/segment-reader.js';
import type {
  Answers,
  AskTask,
  BriefRecord,
  BrokenSegment,
  FetchedRecord,
  FetchTask,
  LaneAnswer,
  LaneTask,
  Question,
} from './lane-tasks.js';

/** What the pool hands to each of its threads. */
interface LaneData {
  data: string;
  cacheBytes: number;
}

const own = workerData as LaneData;
const reader = new SegmentReader(own.data, own.cacheBytes);

/** Answers one task; the only entrance of a query lane. */
export default async function lane(task: LaneTask): Promise<LaneAnswer> {
  try {
    reader.beginCounting();
    const broken: BrokenSegment[] = [];
    const value = await answer(task, broken);
    return { value, effort: { ...reader.counted(), broken } };
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
      return fetchRecords(task);
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
  const patterns: PatternLookup = Object.assign(
    (ref: string) => task.patterns.get(ref) ?? { layouts: new Set<number>() },
    task.slots && { slots: task.slots },
  );
  const selected: { view: SegmentView; selection: Selection }[] = [];
  for (const id of task.segments) {
    const view = await reader.open(id);
    selected.push({ view, selection: await select(task.condition, view, patterns) });
  }
  const { question } = task;
  if (question.kind === 'summary') {
    const sums = question.windows.map(emptySummary);
    for (const { view, selection } of selected) {
      for (const [at, window] of question.windows.entries())
        addSummary(sums[at]!, await summarise(view, selection, window, question.summary, task.slots));
    }
    return sums;
  }
  const views: { view: SegmentView; rows: Rows }[] = [];
  for (const { view, selection } of selected)
    views.push({ view, rows: await rowsOfSelection(view, selection) });
  switch (question.kind) {
    case 'search': {
      const parts: Hits[] = [];
      for (const { view, rows } of views) {
        parts.push(
          await searchSegment(view, rows, question.window, question.order, question.limit, question.cursor),
        );
      }
      return mergeHits(parts, question.order, question.limit);
    }
    case 'patterns': {
      const sum = new Map<CountKey, LayoutCounts>();
      for (const { view, rows } of views)
        addAllCounts(sum, await countLayouts(view, rows, question.focus, question.baseline, question.splits));
      return packCounts(sum);
    }
    case 'history': {
      const sum = new Map<CountKey, LayoutHistory>();
      const wanted = new Set(question.layouts);
      for (const { view, rows } of views)
        addAllHistory(
          sum,
          await countHistory(view, rows, question.focus, question.stretch, wanted, question.splits),
        );
      return packHistories(sum);
    }
    case 'volume': {
      const sum = emptyVolume(question.steps);
      for (const { view, rows } of views)
        addVolume(sum, await volumeOf(view, rows, question.window, question.steps));
      return sum;
    }
    case 'count':
      return countWindows(views, question.windows);
    case 'values': {
      const sum = new Map<string, number>();
      for (const { view, rows } of views) {
        for (const [value, count] of await countValues(
          view,
          rows,
          question.window,
          question.field,
          question.limit,
        )) {
          sum.set(value, (sum.get(value) ?? 0) + count);
        }
      }
      return sum;
    }
    case 'differences': {
      const sum = new Map<string, FieldCounts>();
      for (const { view, rows } of views) {
        const fields = question.fields ?? ['level', 'service', 'source', ...fieldsOf(view)];
        addFieldCounts(
          sum,
          await countFields(view, rows, question.focus, question.baseline, fields, task.slots),
        );
      }
      return sum;
    }
    case 'moments': {
      const found: number[] = [];
      for (const { view, rows } of views) {
        const { hits } = await searchSegment(view, rows, question.window, 'newest', question.limit);
        found.push(...hits.map(({ micros }) => micros));
      }
      return found.sort((a, b) => b - a).slice(0, question.limit);
    }
    case 'fields':
      return [...new Set(views.flatMap(({ view }) => fieldsOf(view)))];
  }
}

/** Fields of a segment's lines and of their senders. */
const fieldsOf = (view: SegmentView): string[] => [
  ...new Set([
    ...view.summary.fields,
    ...view.summary.contexts.flatMap((id) => Object.keys(view.catalog.context(id).attributes)),
  ]),
];

async function countWindows(
  views: readonly { view: SegmentView; rows: Rows }[],
  windows: readonly Window[],
): Promise<number[]> {
  const counts: number[] = [];
  for (const window of windows) {
    let count = 0;
    for (const { view, rows } of views) {
      if (!overlaps(window, view.summary.from, view.summary.to)) continue;
      count += (await searchSegment(view, rows, window, 'oldest', 0)).matched;
    }
    counts.push(count);
  }
  return counts;
}

async function fetchRecords(task: FetchTask): Promise<(FetchedRecord | BriefRecord)[]> {
  const records: (FetchedRecord | BriefRecord)[] = [];
  for (const { segment, row } of task.places) {
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
    if (task.brief) {
      records.push({ segment, row, layout: layout.id, slotValues });
      continue;
    }
    const context = view.catalog.context(view.summary.contexts[(await view.contexts())[row]!]!);
    records.push({
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
    });
  }
  return records;
}
