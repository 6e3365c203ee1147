import {
  type BatchResult,
  BlockCutter,
  type ChunkResult,
  type CsvColumns,
  detectFormat,
  type FormatName,
  type Head,
  type Sealed,
  type Sender,
} from '@flail/core';
import type { Dataset, RecordStore } from '../store/record-store.js';
import { type Failed, IngestClient } from './ingest-client.js';
import { Unifier } from './unifier.js';

/** What is needed to open a batch. */
export interface BatchPlan {
  id: number;
  dataset: Dataset;
  context: number;
  source: string;
  service: string;
  format: FormatName | 'auto';
  /** Records of each chunk that are stored already, from an earlier try that was cut short. */
  progress: ReadonlyMap<number, number>;
  /** Columns of the source, where they are known from before. */
  columns?: CsvColumns;
  /** What its lines open with, where that is known from before. */
  heads?: readonly Head[];
  /** Given where the lines are carried records of these senders. */
  senders?: readonly Sender[];
  /** True where what is handed over are whole messages, each behind its length. */
  framed?: boolean;
}

/** Bytes by which a stream's format is told. */
const DETECT_BYTES = 64 * 1024;
const DETECT_LINES = 80;
/** Numbers left for the records that a batch's end may still bring. */
const RESERVE = 8;

const lenient = new TextDecoder('utf-8');

/**
 * The workers that take in lines. A batch of JSON lines is cut into blocks that all workers read at the same
 * time; of other formats, whose records may reach over many lines, one worker reads the whole batch.
 */
export class IngestPool {
  private readonly clients: IngestClient[];
  private readonly announced = new Map<string, Promise<void>>();
  private readonly unifiers = new Map<string, Unifier>();
  private readonly nextSeqs = new Map<string, number>();

  constructor(
    workers: number,
    private readonly records: RecordStore,
    store: (dataset: string, sealed: Sealed) => Promise<void>,
    failed: Failed,
  ) {
    this.clients = Array.from(
      { length: workers },
      (_, worker) =>
        new IngestClient(
          (dataset, sealed) => store(dataset, this.unifiers.get(dataset)!.unify(worker, sealed)),
          failed,
        ),
    );
  }

  /** Opens a batch; bytes are handed to what is returned. */
  async open(plan: BatchPlan): Promise<OpenBatch> {
    await this.announce(plan.dataset);
    return new OpenBatch(plan, this.clients, (bytes) => this.reserve(plan.dataset, bytes + RESERVE));
  }

  async end(): Promise<void> {
    await Promise.all(this.clients.map((client) => client.end()));
  }

  /** Numbers for the records of so many bytes; the first of them. */
  private reserve({ key, nextSeq }: Dataset, numbers: number): number {
    const first = this.nextSeqs.get(key) ?? nextSeq;
    this.nextSeqs.set(key, first + numbers);
    return first;
  }

  private announce(dataset: Dataset): Promise<void> {
    let ready = this.announced.get(dataset.key);
    if (!ready) {
      ready = this.records.books(dataset).then(({ shapes, layouts }) => {
        this.unifiers.set(dataset.key, new Unifier(shapes, layouts, this.clients.length));
        for (const client of this.clients)
          client.announce({ kind: 'dataset', dataset: dataset.key, shapes, layouts });
      });
      this.announced.set(dataset.key, ready);
    }
    return ready;
  }
}

/** A batch that is under way. */
export class OpenBatch {
  private held: Uint8Array[] | undefined = [];
  private heldBytes = 0;
  private cutter: BlockCutter | undefined;
  private nextChunk = 0;
  private partsClient: IngestClient | undefined;
  private readonly opened = new Map<IngestClient, number>();

  constructor(
    private readonly plan: BatchPlan,
    private readonly clients: readonly IngestClient[],
    private readonly reserve: (bytes: number) => number,
  ) {}

  /** Hands over the next bytes; resolves when there is room for more. */
  async push(bytes: Uint8Array): Promise<void> {
    if (this.held) {
      this.held.push(bytes);
      this.heldBytes += bytes.length;
      if (this.heldBytes < DETECT_BYTES) return;
      await this.settle();
    } else await this.pass(bytes);
  }

  /**
   * Hands over records that end where these bytes do, such as JSON lines of one sender among several; a batch is
   * either made of such parts or of one stream. One worker reads them all, so that what comes together is stored
   * together.
   */
  async pushWhole(bytes: Uint8Array, sender?: Sender): Promise<void> {
    this.held = undefined;
    this.cutter ??= new BlockCutter();
    this.partsClient ??= this.leastBusy();
    await this.chunk(bytes, sender);
  }

  /** Ends the batch; resolves when all its lines are read, though not yet stored. */
  async close(): Promise<BatchResult> {
    if (this.held) await this.settle();
    const rest = this.cutter?.rest();
    if (rest) await this.chunk(rest);
    if (this.opened.size === 0) this.openAt(this.homeClient());
    const parts = await Promise.all(
      [...this.opened].map(([client, bytes]) =>
        client.close(this.plan.dataset.key, this.plan.id, this.reserve(bytes)),
      ),
    );
    return parts.length === 1 && !this.cutter ? parts[0]!.result : merged(parts);
  }

  /** Tells the format by what has come, and passes that on. */
  private async settle(): Promise<void> {
    const held = this.held!;
    this.held = undefined;
    const first = held.length === 1 ? held[0]! : Buffer.concat(held);
    const { format } = this.plan;
    const json =
      this.plan.senders !== undefined ||
      format === 'json' ||
      (format === 'auto' &&
        detectFormat(lenient.decode(first.subarray(0, DETECT_BYTES)).split('\n', DETECT_LINES)).format ===
          'json');
    if (json && first.length > 0) this.cutter = new BlockCutter();
    if (first.length > 0) await this.pass(first);
  }

  private async pass(bytes: Uint8Array): Promise<void> {
    if (!this.cutter) {
      const client = this.homeClient();
      this.openAt(client);
      this.opened.set(client, this.opened.get(client)! + bytes.length);
      await client.push(this.plan.dataset.key, this.plan.id, bytes, this.reserve(bytes.length));
      return;
    }
    for (const block of this.cutter.push(bytes)) await this.chunk(block);
  }

  private async chunk(bytes: Uint8Array, sender?: Sender): Promise<void> {
    const index = this.nextChunk++;
    // A batch of one block goes where its source's layouts are known; of more, wherever there is least to do.
    const client = this.partsClient ?? (index === 0 ? this.homeClient() : this.leastBusy());
    this.openAt(client);
    await client.pushChunk(this.plan.dataset.key, this.plan.id, bytes, {
      index,
      skip: this.plan.progress.get(index) ?? 0,
      firstSeq: this.reserve(bytes.length),
      ...(sender && { sender }),
    });
  }

  private leastBusy(): IngestClient {
    return this.clients.reduce((a, b) => (b.outstanding < a.outstanding ? b : a));
  }

  /** The worker that a source's batches go to. */
  private homeClient(): IngestClient {
    let hash = 0;
    for (const character of this.plan.source) hash = (hash * 31 + character.charCodeAt(0)) | 0;
    return this.clients[Math.abs(hash) % this.clients.length]!;
  }

  private openAt(client: IngestClient): void {
    if (this.opened.has(client)) return;
    this.opened.set(client, 0);
    const { id, dataset, context, service, format, progress, columns, heads, senders, framed } = this.plan;
    client.open(dataset.key, {
      id,
      context,
      service,
      format: this.cutter && !senders && !framed ? 'json' : format,
      ...(columns && { columns }),
      ...(heads && { heads }),
      ...(senders && { senders }),
      ...(framed && { framed }),
      arrival: Date.now() * 1000,
      skip: progress.get(0) ?? 0,
    });
  }
}

/** The result of a batch that several workers read parts of. */
export function merged(
  parts: readonly { result: BatchResult; chunks: readonly ChunkResult[] }[],
): BatchResult {
  const lines = parts.flatMap(({ chunks }) => chunks);
  /** Where a line of a worker stands in the whole batch. */
  const lineOf = (chunks: readonly ChunkResult[], own: number): number => {
    let left = own;
    for (const chunk of chunks) {
      if (left <= chunk.lines) {
        return left + lines.reduce((sum, other) => sum + (other.index < chunk.index ? other.lines : 0), 0);
      }
      left -= chunk.lines;
    }
    return own;
  };
  const problems = new Map<string, BatchResult['problems'][number]>();
  for (const { result, chunks } of parts) {
    for (const problem of result.problems) {
      const here = { ...problem, firstLine: lineOf(chunks, problem.firstLine) };
      const known = problems.get(problem.code);
      if (!known) problems.set(problem.code, here);
      else {
        const first = here.firstLine < known.firstLine ? here : known;
        problems.set(problem.code, { ...first, count: known.count + here.count });
      }
    }
  }
  const spans = parts.flatMap(({ result }) => (result.span ? [result.span] : []));
  return {
    accepted: parts.reduce((sum, { result }) => sum + result.accepted, 0),
    malformed: parts.reduce((sum, { result }) => sum + result.malformed, 0),
    format: parts[0]!.result.format,
    ...(spans.length > 0 && {
      span: {
        from: spans.reduce((least, { from }) => Math.min(least, from), Infinity),
        to: spans.reduce((most, { to }) => Math.max(most, to), -Infinity),
      },
    }),
    problems: [...problems.values()],
  };
}
