import 'reflect-metadata';
import {
  BrokenBlockError,
  buildSegment,
  linesOf,
  recordsOf,
  SEGMENT_VERSION,
  type SegmentSummary,
} from '@flail/core';
import { NestFactory } from '@nestjs/core';
import { AppModule } from '../app.module.js';
import type { Config } from '../config/config.js';
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
  const app = await NestFactory.createApplicationContext(AppModule.with(config), {
    logger: ['error', 'warn'],
  });
  const reader = new SegmentReader(config.data, CACHE_BYTES);
  const result: CheckResult = { segments: 0, records: 0, problems: [], old: 0, upgraded: 0 };
  try {
    const store = app.get(RecordStore);
    for (const dataset of store.all()) {
      for (const { id } of [...dataset.segments]) {
        const row = await SegmentModel.findByPk(id);
        const summary = row!.summary as SegmentSummary;
        result.segments++;
        try {
          result.records += await checkSegment(reader, id);
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

/** Rebuilds every line of a segment; returns how many there are. Throws with what is wrong. */
async function checkSegment(reader: SegmentReader, id: number): Promise<number> {
  const view = await reader.open(id);
  for (const name of view.summary.fields) await view.field(name);
  await view.minutes();
  await view.trigrams();
  const lineOf = await linesOf(view);
  let length = 0;
  for (let row = 0; row < view.count; row++) length += lineOf(row).length;
  if (length === 0 && view.summary.rawBytes > 0) throw new Error('Its lines are empty.');
  const times = await view.times();
  for (let row = 1; row < times.length; row++)
    if (times[row]! < times[row - 1]!) throw new Error('Its records are not in the order of time.');
  return view.count;
}

/** What a check found, in a few lines. */
export function checkText({ segments, records, problems, old, upgraded }: CheckResult): string {
  const count = (number: number): string => number.toLocaleString('en');
  const lines = [`${count(segments)} segments, ${count(records)} records read and rebuilt.`];
  if (old > 0) {
    lines.push(
      upgraded > 0
        ? `${count(upgraded)} segments of an earlier version were written anew.`
        : `${count(old)} segments are of an earlier version; they can be read. "flail check --upgrade" writes them anew.`,
    );
  }
  lines.push(
    ...problems,
    problems.length === 0 ? 'Nothing is wrong.' : `${count(problems.length)} segments are damaged.`,
  );
  return lines.join('\n');
}
