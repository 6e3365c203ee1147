import { isUtf8 } from 'node:buffer';
import { crc32, deflateRawSync, inflateRawSync } from 'node:zlib';
import { encodeUtf8 } from '../codec/bytes.js';
import type { Codec } from '../codec/codec.js';
import { type BatchResult, type BatchStart, Ingest } from '../intake/ingest.js';
import type { Layout } from '../patterns/layout.js';
import { Grouping, workOut } from '../grouping/grouping.js';
import { Identities } from '../grouping/identity.js';
import type { Correction } from '../grouping/correction.js';
import type { Shape } from '../records/shape.js';
import type { BuiltSegment } from '../segments/builder.js';
import type { Context } from '../segments/segment.js';
import { SegmentView } from '../segments/view.js';

/** The bytes as drivers and codecs hand over small ones: in the midst of the pool that all small Buffers share. */
export const pooled = (bytes: Uint8Array): Buffer => {
  const own = Buffer.allocUnsafe(bytes.length);
  own.set(bytes);
  return own;
};

export const testCodec: Codec = {
  compress: (bytes) => deflateRawSync(bytes),
  decompress: (bytes) => pooled(inflateRawSync(bytes)),
  crc32: (bytes) => crc32(bytes),
  isUtf8: (bytes) => isUtf8(bytes),
};

export const ARRIVAL = Date.UTC(2026, 2, 2, 18, 0) * 1000;

/** Takes text in as the server does, and keeps the segments in memory. For tests only. */
export class MemoryStore {
  readonly shapes: Shape[] = [];
  readonly layouts: Layout[] = [];
  readonly contexts: Context[] = [];
  readonly segments: BuiltSegment[] = [];
  readonly records: number[] = [];
  private readonly ingest = new Ingest(testCodec, [], [], 0);
  private batches = 0;

  take(
    input: string | Uint8Array,
    options: Partial<BatchStart> & {
      source?: string;
      attributes?: Record<string, string>;
      chunk?: number;
    } = {},
  ): BatchResult {
    const { source = 'test', attributes = {}, chunk, ...start } = options;
    const id = this.batches++;
    this.contexts.push({ id, source, attributes });
    this.ingest.open({
      id,
      context: id,
      service: source,
      format: 'auto',
      arrival: ARRIVAL,
      skip: 0,
      ...start,
    });
    const bytes = typeof input === 'string' ? encodeUtf8(input) : input;
    const step = chunk ?? Math.max(1, bytes.length);
    for (let at = 0; at < bytes.length; at += step) this.ingest.push(id, bytes.subarray(at, at + step));
    return this.ingest.close(id);
  }

  seal(): void {
    for (let sealed = this.ingest.seal(); sealed; sealed = this.ingest.seal()) {
      this.segments.push(sealed);
      this.shapes.push(...sealed.shapes);
      this.layouts.push(...sealed.layouts);
      sealed.summary.layouts.forEach((id, code) => {
        this.records[id] = (this.records[id] ?? 0) + sealed.summary.layoutCounts[code]!;
      });
    }
  }

  /** How the layouts met so far group into patterns. */
  grouping(corrections: readonly Correction[] = []): Grouping {
    this.seal();
    const identities = new Identities();
    for (const layout of this.layouts) identities.add(layout);
    return new Grouping(
      this.layouts,
      workOut(this.layouts, this.records),
      identities,
      corrections,
      this.records,
    );
  }

  views(): SegmentView[] {
    this.seal();
    return this.segments.map((segment, index) => this.view(segment, String(index)));
  }

  view(segment: BuiltSegment, key: string): SegmentView {
    const cache = new Map<string, unknown>();
    return new SegmentView(
      key,
      segment.summary,
      {
        shape: (id) => this.shapes[id]!,
        layout: (id) => this.layouts[id]!,
        context: (id) => this.contexts[id]!,
      },
      (column) => Promise.resolve(pooled(segment.columns.get(column)!)),
      testCodec,
      cache,
    );
  }

  /** All lines in order of arrival. */
  async lines(): Promise<Buffer[]> {
    const found: [number, Buffer][] = [];
    for (const view of this.views()) {
      const seqs = await view.seqs();
      for (let row = 0; row < view.count; row++) found.push([seqs[row]!, Buffer.from(await view.line(row))]);
    }
    return found.sort(([a], [b]) => a - b).map(([, line]) => line);
  }

  async texts(): Promise<string[]> {
    const texts: string[] = [];
    for (const view of this.views())
      for (let row = 0; row < view.count; row++) texts.push(await view.text(row));
    return texts;
  }
}
