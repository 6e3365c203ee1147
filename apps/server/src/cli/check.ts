import 'reflect-metadata';
import {
  BrokenBlockError,
  buildSegment,
  decodeUtf8,
  linesOf,
  recordsOf,
  SEGMENT_VERSION,
  type SegmentSummary,
  type SegmentView,
} from '@flail/core';
import type { Config } from '../config/config.js';
import { contextOf } from './context.js';
import { SegmentModel } from '../database/models.js';
import { zstdCodec } from '../store/codec.js';
import { lockFolder } from '../store/data-lock.js';
import { RecordStore } from '../store/record-store.js';
import { SegmentReader } from '../store/segment-reader.js';

const CACHE_BYTES = 64 * 1024 * 1024;

export interface CheckResult {
  segments: number;
  records: number;
  /** What is wrong, in words. */
  problems: string[];
  /** Segments that may hold other lines than those that came, in words. */
  doubtful: string[];
  /** Segments written by an earlier version. */
  old: number;
  upgraded: number;
}

/**
 * Reads every block of a data folder, checks it against its checksum, unpacks it and rebuilds each line from
 * it. With `upgrade`, segments of an earlier version are written anew in the present one.
 */
export async function check(config: Config, upgrade = false): Promise<CheckResult> {
  const release = lockFolder(config.data);
  const app = await contextOf(config);
  const reader = new SegmentReader(config.data, CACHE_BYTES);
  const result: CheckResult = { segments: 0, records: 0, problems: [], doubtful: [], old: 0, upgraded: 0 };
  try {
    const store = app.get(RecordStore);
    for (const dataset of store.all()) {
      for (const { id } of [...dataset.segments]) {
        const row = await SegmentModel.findByPk(id);
        const summary = row!.summary as SegmentSummary;
        result.segments++;
        try {
          const { records, doubt } = await checkSegment(reader, id);
          result.records += records;
          if (doubt !== undefined)
            result.doubtful.push(`Segment ${id} of "${dataset.key}", ${summary.count} records: ${doubt}`);
        } catch (error) {
          const what =
            error instanceof BrokenBlockError || error instanceof Error ? error.message : String(error);
          result.problems.push(`Segment ${id} of "${dataset.key}", ${summary.count} records: ${what}`);
          continue;
        }
        if (summary.version === SEGMENT_VERSION) continue;
        result.old++;
        if (!upgrade) continue;
        const built = buildSegment(await recordsOf(await reader.open(id)), zstdCodec);
        await store.append(dataset, { ...built, replaces: [id] });
        result.upgraded++;
      }
    }
  } finally {
    await reader.close();
    await app.close();
    release();
  }
  return result;
}

/** Rebuilds every line of a segment; returns how many there are, and whether they may be others. Throws with what is wrong. */
async function checkSegment(
  reader: SegmentReader,
  id: number,
): Promise<{ records: number; doubt: string | undefined }> {
  const view = await reader.open(id);
  for (const name of view.summary.fields) await view.field(name);
  await view.minutes();
  await view.trigrams();
  await checkCounts(view);
  const lineOf = await linesOf(view);
  // Sizes were counted in bytes where lines were read as such, in characters elsewhere.
  let least = 0;
  let most = 0;
  for (let row = 0; row < view.count; row++) {
    const line = lineOf(row);
    least += typeof line === 'string' ? line.length : decodeUtf8(line).length;
    most += typeof line === 'string' ? Buffer.byteLength(line) : line.length;
  }
  const { rawBytes } = view.summary;
  if (most === 0 && rawBytes > 0) throw new Error('Its lines are empty.');
  const times = await view.times();
  for (let row = 1; row < times.length; row++)
    if (times[row]! < times[row - 1]!) throw new Error('Its records are not in the order of time.');
  const doubt =
    rawBytes < least || rawBytes > most ? `its lines have ${most} bytes, and ${rawBytes} came.` : undefined;
  return { records: view.count, doubt };
}

/** Compares what the summary counts with what the columns hold. Throws with what does not agree. */
async function checkCounts(view: SegmentView): Promise<void> {
  const { summary } = view;
  const levels = await view.levels();
  const layouts = await view.layouts();
  const contexts = await view.contexts();
  const services = await view.services();
  const shapes = await view.shapes();
  for (const [what, codes, known] of [
    ['levels', levels, summary.levels.length],
    ['layouts', layouts, summary.layouts.length],
    ['senders', contexts, summary.contexts.length],
    ['services', services, summary.services.length],
    ['envelopes', shapes, summary.shapes.length],
  ] as const)
    if (codes.some((code) => code >= known)) throw new Error(`Some of its ${what} are not in its tables.`);
  for (const [what, codes, counts] of [
    ['levels', levels, summary.levels],
    ['layouts', layouts, summary.layoutCounts],
    ['senders', contexts, summary.contextCounts],
  ] as const) {
    if (!counts) continue;
    const found = new Array<number>(counts.length).fill(0);
    for (const code of codes) found[code]!++;
    if (found.some((count, code) => count !== counts[code]))
      throw new Error(`Its ${what} are not as many as were counted when it was written.`);
  }
  for (const [code, count] of summary.layoutCounts.entries())
    if ((await view.slots(code)).some(({ length }) => length !== count))
      throw new Error('Some of its lines have no values, or values of no line.');
}

/** What a check found, in a few lines. */
export function checkText({ segments, records, problems, doubtful, old, upgraded }: CheckResult): string {
  const count = (number: number): string => number.toLocaleString('en');
  const lines = [`${count(segments)} segments, ${count(records)} records read and rebuilt.`];
  if (old > 0) {
    lines.push(
      upgraded > 0
        ? `${count(upgraded)} segments of an earlier version were written anew.`
        : `${count(old)} segments are of an earlier version; they can be read. "flail check --upgrade" writes them anew.`,
    );
  }
  if (doubtful.length > 0) {
    lines.push(
      ...doubtful,
      `${count(doubtful.length)} segments may hold other lines than those that came. Where retention took records from them before version 0.2, only their size was estimated; otherwise they were put together wrongly by an earlier version: send their lines again.`,
    );
  }
  lines.push(
    ...problems,
    problems.length > 0
      ? `${count(problems.length)} segments are damaged.`
      : doubtful.length > 0
        ? 'Nothing is damaged.'
        : 'Nothing is wrong.',
  );
  return lines.join('\n');
}
