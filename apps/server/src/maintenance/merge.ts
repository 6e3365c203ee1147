import { buildSegment, recordsOf, type SegmentRecord, type SegmentSummary } from '@flail/core';
import { workerData } from 'piscina';
import { zstdCodec } from '../store/codec.js';
import { SegmentReader } from '../store/segment-reader.js';

export interface MergeTask {
  /** Segments to put together; empty to close the reader. */
  segments: number[];
}

export interface Merged {
  summary: SegmentSummary;
  columns: Map<string, Uint8Array>;
}

/** What is read here is read once, so that little of it need be kept. */
const CACHE_BYTES = 32 * 1024 * 1024;
const reader = new SegmentReader((workerData as { data: string }).data, CACHE_BYTES);

/** Puts small segments together to one; runs in a thread of its own. */
export default async function merge(task: MergeTask): Promise<Merged | undefined> {
  if (task.segments.length === 0) {
    await reader.close();
    return undefined;
  }
  const records: SegmentRecord[] = [];
  for (const id of task.segments) records.push(...(await recordsOf(await reader.open(id))));
  return buildSegment(records, zstdCodec);
}
