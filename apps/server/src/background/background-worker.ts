import {
  buildSegment,
  type BuiltSegment,
  type KeptFrom,
  recordsKept,
  recordsOf,
  type SegmentRecord,
  workOut,
  type Worked,
} from '@flail/core';
import { workerData } from 'piscina';
import { onThreadEnd } from '../platform/thread-end.js';
import { type ChunkWrite, SeriesReader } from '../series/series-reader.js';
import { zstdCodec } from '../store/codec.js';
import { SegmentReader } from '../store/segment-reader.js';

/** Work that nobody waits for at a screen. */
export type BackgroundTask =
  /** Puts segments together. */
  | { task: 'merge'; segments: number[] }
  /** Writes a segment anew without the records that are no longer kept. */
  | { task: 'retain'; segment: number; keptFrom: KeptFrom }
  /** Works out how the first layouts of a data set group. */
  | { task: 'group'; dataset: number; size: number; records: number[] }
  /** Puts the points of series that were written ahead, up to a row, into chunks. */
  | { task: 'seal-series'; upTo: number }
  | { task: 'close' };

export interface BackgroundAnswers {
  merge: BuiltSegment;
  /** Undefined where nothing is left. */
  retain: BuiltSegment | undefined;
  group: Worked;
  'seal-series': ChunkWrite[];
  close: undefined;
}

/** What a thread is given as it starts. */
export interface BackgroundData {
  /** The data folder. */
  data: string;
  /** Not nought once the server closes down: what is under way is given up then. */
  ending: Int32Array;
}

/** What is read here is read once, so that little of it need be kept. */
const CACHE_BYTES = 32 * 1024 * 1024;
const { data, ending } = workerData as BackgroundData;
const reader = new SegmentReader(data, CACHE_BYTES);
onThreadEnd(() => reader.close());

/** Does one task; the only entrance of the background thread. */
export default async function background(
  task: BackgroundTask,
): Promise<BackgroundAnswers[BackgroundTask['task']]> {
  switch (task.task) {
    case 'merge': {
      const records: SegmentRecord[] = [];
      for (const id of task.segments) {
        if (Atomics.load(ending, 0) !== 0) throw new Error('The server is closing down.');
        for (const record of await recordsOf(await reader.open(id))) records.push(record);
      }
      return buildSegment(records, zstdCodec);
    }
    case 'retain': {
      const kept = await recordsKept(await reader.open(task.segment), task.keptFrom);
      return kept.length > 0 ? buildSegment(kept, zstdCodec) : undefined;
    }
    case 'group':
      return workOut(await reader.layouts(task.dataset, task.size), task.records);
    case 'seal-series':
      return new SeriesReader(reader.database).chunks(task.upTo);
    case 'close':
      await reader.close();
      return undefined;
  }
}
