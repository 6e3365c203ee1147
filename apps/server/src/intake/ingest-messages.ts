import type { BatchResult, BatchStart, ChunkResult, ChunkStart, Layout, Sealed, Shape } from '@flail/core';

/** What the server tells a worker that takes in lines. */
export type ToIngest =
  | { kind: 'dataset'; dataset: string; shapes: Shape[]; layouts: Layout[] }
  | { kind: 'open'; dataset: string; start: BatchStart }
  | { kind: 'push'; dataset: string; batch: number; bytes: Uint8Array; firstSeq: number }
  /** A part of a batch that is read by itself. */
  | { kind: 'chunk'; dataset: string; batch: number; bytes: Uint8Array; chunk: ChunkStart }
  | { kind: 'close'; dataset: string; batch: number; firstSeq: number }
  /** A sealed segment is stored; the worker may go on to the next. */
  | { kind: 'stored' };

/** What the worker answers. */
export type FromIngest =
  | { kind: 'pushed'; batch: number; length: number; chunk?: ChunkResult }
  | { kind: 'closed'; batch: number; result: BatchResult }
  | { kind: 'sealed'; dataset: string; sealed: Sealed };
