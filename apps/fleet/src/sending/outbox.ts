import { type Instance, serviceNamed } from '../world/company.js';
import type { Disguise } from '../world/disguise.js';
import type { Line } from '../world/line.js';
import type { ChangeEvent, RunEvent, Signals } from '../world/signals.js';
import { changesBody, runsBody } from './events.js';
import { MetricsRequest, SpansRequest } from './otlp.js';
import { type Bytes, ByteBuffer } from './byte-buffer.js';

/** What is sent in one body: of spans as many as are stored together and need not be put together again. */
export const SPANS_AT_ONCE = 33_000;
const POINTS_AT_ONCE = 40_000;

/** One request that is to be sent. */
export interface Post {
  path: string;
  type: string;
  /** Tells it from the others of its stretch of time. */
  name: string;
  body: Bytes;
}

/** Gathers what is to be sent. It is written down at once, so that millions of signals are not held. */
export class Outbox {
  readonly sizes = { lines: 0, spans: 0, points: 0 };
  /** Lines in one batch for each source; each instance goes where its batch is. */
  private readonly batches = new Map<string, ByteBuffer>();
  private readonly batchOf = new Map<Instance, ByteBuffer>();
  private readonly spans: SpansRequest[] = [];
  private readonly metrics: MetricsRequest[] = [];
  private readonly changes: ChangeEvent[] = [];
  private readonly runs: RunEvent[] = [];

  constructor(
    /** Gives things other names, where they are to have others. */
    private readonly told: Disguise = (text) => text,
  ) {}

  add({ lines, spans, measurements, changes, runs }: Partial<Signals>): void {
    for (const line of lines ?? []) this.addLine(line);
    for (const span of spans ?? []) {
      if (this.sizes.spans++ % SPANS_AT_ONCE === 0) this.spans.push(new SpansRequest(this.told));
      this.spans.at(-1)!.add(span);
    }
    for (const one of measurements ?? []) {
      if (this.sizes.points++ % POINTS_AT_ONCE === 0) this.metrics.push(new MetricsRequest(this.told));
      this.metrics.at(-1)!.add(one);
    }
    for (const change of changes ?? []) this.changes.push(change);
    for (const run of runs ?? []) this.runs.push(run);
  }

  /** The requests that carry all that was gathered. */
  posts(): Post[] {
    const posts: Post[] = [];
    for (const [query, lines] of this.batches)
      posts.push({
        path: `api/v1/intake/logs?source=${query}`,
        type: 'text/plain',
        name: query,
        body: lines.written(),
      });
    const binary = (path: string, name: string, body: Bytes): void =>
      void posts.push({ path, type: 'application/x-protobuf', name, body });
    const json = (path: string, name: string, body: string): void =>
      void posts.push({ path, type: 'application/json', name, body: Buffer.from(this.told(body)) });
    this.spans.forEach((one, at) => binary('v1/traces', `spans ${at}`, one.body()));
    this.metrics.forEach((one, at) => binary('v1/metrics', `points ${at}`, one.body()));
    if (this.changes.length > 0) json('api/v1/intake/changes', 'changes', changesBody(this.changes));
    if (this.runs.length > 0) json('api/v1/intake/runs', 'runs', runsBody(this.runs));
    return posts;
  }

  private addLine({ from, text }: Line): void {
    const line = this.told(text);
    this.sizes.lines++;
    let batch = this.batchOf.get(from);
    if (!batch) {
      const query = this.told(declared(from));
      batch = this.batches.get(query) ?? new ByteBuffer();
      this.batches.set(query, batch);
      this.batchOf.set(from, batch);
    }
    batch.write(batch.length === 0 ? line : `\n${line}`);
  }
}

/** What an instance says of itself beside its lines: services that name their instance in each line share a batch. */
function declared(from: Instance): string {
  const { speech } = serviceNamed(from.service);
  const own: Record<string, string> = { source: from.service, 'attr.service': from.service };
  if (speech === 'access' || speech === 'plain' || speech === 'syslog')
    Object.assign(own, { 'attr.instance': from.name, 'attr.host': from.host, 'attr.site': from.site });
  return new URLSearchParams(own).toString().slice('source='.length);
}
