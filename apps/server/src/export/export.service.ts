import type { MissingRecords } from '@flail/contract';
import { csvLine, type RecordFormat, USUAL_COLUMNS } from '@flail/core';
import { Injectable } from '@nestjs/common';
import { Readable } from 'node:stream';
import type { Exported } from '../query/lane-tasks.js';
import { type Asked, Planner } from '../query/planner.js';
import { missingBody, noEffort } from '../query/missing.js';
import { QueryPool } from '../query/query-pool.js';
import { RecordStore } from '../store/record-store.js';

/** Records of a segment that are not all written yet. */
interface Pending extends Exported {
  next: number;
}

/** Writes the records that match into one file, in the order of time. */
@Injectable()
export class ExportService {
  constructor(
    private readonly store: RecordStore,
    private readonly planner: Planner,
    private readonly pool: QueryPool,
  ) {}

  async lines(asked: Asked, format: RecordFormat, columns?: readonly string[]): Promise<Readable> {
    const plan = await this.planner.scoped(asked);
    const { segments, release } = await this.store.hold(asked.dataset);
    const wanted = columns ?? USUAL_COLUMNS;
    const { window } = asked;
    const touched = segments
      .filter(({ from, to }) => to >= window.from && from < window.to)
      .sort((a, b) => a.from - b.from);
    const { pool } = this;
    const effort = noEffort();
    const pieces = async function* (): AsyncGenerator<Uint8Array> {
      if (format === 'csv') yield Buffer.from(csvLine(wanted));
      let pending: Pending[] = [];
      for (const [at, { id }] of touched.entries()) {
        const task = { task: 'export', ...plan, segment: id, window, format, columns: wanted } as const;
        const part = await pool.export(task, effort);
        if (part.times.length > 0) pending.push({ ...part, next: 0 });
        // What lies before the next segment begins can't be preceded by anything still to come.
        yield* inOrder(pending, touched[at + 1]?.from ?? Infinity);
        pending = pending.filter(({ next, times }) => next < times.length);
      }
      const { missing } = missingBody(asked.dataset, effort);
      // A file that lacks something says so where it ends: nothing else of it can.
      if (missing) yield Buffer.from(lastWord(format, wanted.length, missing));
    };
    const stream = Readable.from(pieces(), { objectMode: false });
    stream.once('close', release);
    asked.signal?.addEventListener('abort', () => stream.destroy(), { once: true });
    return stream;
  }
}

/** The line with which a file ends that is not whole. */
function lastWord(format: RecordFormat, columns: number, { records, reason }: MissingRecords): string {
  const text = `INCOMPLETE: ${records} records are missing. ${reason}`;
  switch (format) {
    case 'text':
      return `${text}\n`;
    case 'csv':
      return csvLine([text, ...Array.from({ length: columns - 1 }, () => '')]);
    case 'jsonl':
      return `${JSON.stringify({ level: 'error', service: 'flail', text })}\n`;
    case 'otlp': {
      const logRecords = [{ severityNumber: 17, body: { stringValue: text } }];
      return `${JSON.stringify({ resourceLogs: [{ resource: { attributes: [] }, scopeLogs: [{ logRecords }] }] })}\n`;
    }
  }
}

/** Bytes that are gathered before they are passed on. */
const PIECE_BYTES = 256 * 1024;

/** The records of several segments that come before a moment, one after another in the order of time. */
function* inOrder(pending: readonly Pending[], before: number): Generator<Uint8Array> {
  let piece: Uint8Array[] = [];
  let size = 0;
  for (;;) {
    let first: Pending | undefined;
    for (const one of pending) {
      const time = one.times[one.next];
      if (time === undefined || time >= before) continue;
      if (!first || comesBefore(one, first)) first = one;
    }
    if (!first) break;
    const text = first.bytes.subarray(first.ends[first.next - 1] ?? 0, first.ends[first.next]);
    first.next++;
    piece.push(text);
    size += text.length;
    if (size < PIECE_BYTES) continue;
    yield Buffer.concat(piece);
    piece = [];
    size = 0;
  }
  if (size > 0) yield Buffer.concat(piece);
}

const comesBefore = (a: Pending, b: Pending): boolean => {
  const [atA, atB] = [a.times[a.next]!, b.times[b.next]!];
  return atA < atB || (atA === atB && a.seqs[a.next]! < b.seqs[b.next]!);
};
