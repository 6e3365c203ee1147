import type { BatchResult, BatchStart, Layout, Sealed, Shape } from '@flail/core';

/** What the server tells the worker that takes in lines. */
export type ToIngest =
  | { kind: 'dataset'; dataset: string; shapes: Shape[]; layouts: Layout[]; nextSeq: number }
  | { kind: 'open'; dataset: string; start: BatchStart }
  | { kind: 'push'; dataset: string; batch: number; bytes: Uint8Array }
  | { kind: 'close'; dataset: string; batch: number }
  /** A sealed segment is stored; the worker may go on to the next. */
  | { kind: 'stored' };

/** What the worker answers. */
export type FromIngest =
  | { kind: 'pushed'; batch: number; length: number }
  | { kind: 'closed'; batch: number; result: BatchResult }
  | { kind: 'sealed'; dataset: string; sealed: Sealed };
