import type { KeptFrom } from '@flail/core';
import type { SegmentInfo } from '../store/record-store.js';

/** How long records of a source are kept: up to an age, up to so many bytes as received, or both. */
export interface Retention {
  source: string;
  /** Seconds. */
  maxAge?: number;
  maxBytes?: number;
}

/** So much of a segment must be past its time before it is written anew. */
const WORTH_WRITING = 0.25;

/**
 * From which moment on the records of each sender are kept. Age is counted back from `now`; bytes are counted
 * back from the newest record, a segment's bytes shared among its senders by their records.
 */
export function keptFrom(
  segments: readonly SegmentInfo[],
  contexts: ReadonlyMap<number, string>,
  retentions: readonly Retention[],
  now: number,
): Map<number, number> {
  const from = new Map<string, number>();
  for (const { source, maxAge, maxBytes } of retentions) {
    let cut = maxAge === undefined ? -Infinity : now - maxAge * 1e6;
    if (maxBytes !== undefined) {
      let bytes = 0;
      for (const segment of [...segments].sort((a, b) => b.to - a.to)) {
        const records = segment.contexts.reduce(
          (sum, id, at) =>
            sum +
            (contexts.get(id) === source
              ? (segment.contextCounts?.[at] ?? segment.count / segment.contexts.length)
              : 0),
          0,
        );
        bytes += (segment.rawBytes * records) / segment.count;
        if (bytes <= maxBytes) continue;
        cut = Math.max(cut, segment.to + 1);
        break;
      }
    }
    if (cut > -Infinity) from.set(source, cut);
  }
  return new Map(
    [...contexts].flatMap(([id, source]) => (from.has(source) ? [[id, from.get(source)!]] : [])),
  );
}

/** What is to be done with a segment: nothing, let go of it, or write it anew without what is past its time. */
export function fateOf(segment: SegmentInfo, from: KeptFrom): 'keep' | 'drop' | 'rewrite' {
  const cuts = segment.contexts.map((id) => from.get(id) ?? -Infinity);
  if (cuts.every((cut) => segment.to < cut)) return 'drop';
  // Records are taken to be spread evenly over the segment's time.
  const length = Math.max(1, segment.to - segment.from);
  const gone = cuts.reduce((sum, cut, at) => {
    const records = segment.contextCounts?.[at] ?? segment.count / segment.contexts.length;
    return sum + records * Math.min(1, Math.max(0, (cut - segment.from) / length));
  }, 0);
  return gone >= segment.count * WORTH_WRITING ? 'rewrite' : 'keep';
}
