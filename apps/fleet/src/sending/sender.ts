import { SERVICES } from '../world/company.js';
import type { Disguise } from '../world/disguise.js';
import type { Signals } from '../world/signals.js';
import { changesBody, runsBody } from './events.js';
import { metricsBody, spansBody } from './otlp.js';
import type { Line } from '../world/line.js';

/** Requests under way at once: all senders of the fleet, as in life. What arrives together is stored together. */
const PARALLEL = 32;
const PATIENCE_MS = 20_000;

/** What is sent in one body: of spans as many as are stored together and need not be put together again. */
export const SPANS_AT_ONCE = 33_000;
const POINTS_AT_ONCE = 40_000;

interface Post {
  path: string;
  type: string;
  name: string;
  /** Written only when its turn comes. */
  body: () => string;
}

/** Bodies of megabytes, of which only a few are made at a time. */
const isLarge = ({ path }: Post): boolean => path.startsWith('v1/');

/** Sends what the fleet says through the open intake, as any outside sender would. */
export class Sender {
  constructor(
    private readonly url: string,
    /** Tells this run's batches from those of another. */
    private readonly run: string,
    /** Gives things other names on their way. */
    private readonly disguise: Disguise = (text) => text,
  ) {}

  /**
   * Sends what was in a stretch of time: lines in one batch for each source, each with a key, so that a batch
   * that is sent again is stored once; spans and measurements over the open protocol; changes and runs as
   * events.
   */
  async send(stretch: string, signals: Signals): Promise<void> {
    const { lines, spans, measurements, changes, runs } = signals;
    const posts: Post[] = [];
    for (const [query, body] of batchesOf(lines))
      posts.push({
        path: `api/v1/intake/logs?source=${query}`,
        type: 'text/plain',
        name: query,
        body: () => body,
      });
    const json = (path: string, name: string, body: () => string): void =>
      void posts.push({ path, type: 'application/json', name, body });
    for (let at = 0; at < spans.length; at += SPANS_AT_ONCE)
      json('v1/traces', `spans ${at}`, () => spansBody(spans.slice(at, at + SPANS_AT_ONCE)));
    for (let at = 0; at < measurements.length; at += POINTS_AT_ONCE)
      json('v1/metrics', `points ${at}`, () => metricsBody(measurements.slice(at, at + POINTS_AT_ONCE)));
    if (changes.length > 0) json('api/v1/intake/changes', 'changes', () => changesBody(changes));
    if (runs.length > 0) json('api/v1/intake/runs', 'runs', () => runsBody(runs));
    await Promise.all([
      this.sendAll(stretch, posts.filter(isLarge), 2),
      this.sendAll(
        stretch,
        posts.filter((post) => !isLarge(post)),
        PARALLEL,
      ),
    ]);
  }

  private async sendAll(stretch: string, posts: readonly Post[], parallel: number): Promise<void> {
    let next = 0;
    const work = async (): Promise<void> => {
      for (let at = next++; at < posts.length; at = next++) {
        const { path, type, name, body } = posts[at]!;
        await this.post(this.disguise(path), type, `${this.run}/${stretch}/${name}`, this.disguise(body()));
      }
    };
    await Promise.all(Array.from({ length: parallel }, work));
  }

  private async post(path: string, type: string, key: string, body: string): Promise<void> {
    const started = Date.now();
    for (;;) {
      const failure = await this.attempt(path, type, key, body);
      if (failure === undefined) return;
      // Sending the same again would not help.
      if (failure.final) throw new Error(`The intake refuses a batch: ${failure.reason}`);
      if (Date.now() - started > PATIENCE_MS)
        throw new Error(`The intake at ${this.url} does not take what is sent: ${failure.reason}`);
      await new Promise((resolve) => setTimeout(resolve, 300));
    }
  }

  /** Undefined when the batch is stored, else what went wrong and whether it will again. */
  private async attempt(
    path: string,
    type: string,
    key: string,
    body: string,
  ): Promise<{ reason: string; final: boolean } | undefined> {
    try {
      const response = await fetch(`${this.url}/${path}`, {
        method: 'POST',
        headers: { 'content-type': type, 'idempotency-key': key },
        body,
      });
      if (response.ok) return undefined;
      return { reason: await response.text(), final: response.status < 500 && response.status !== 429 };
    } catch (error) {
      return { reason: String(error), final: false };
    }
  }
}

/** Lines by sender. Services that name their instance in each line share a batch; the others declare it. */
function batchesOf(lines: readonly Line[]): Map<string, string> {
  const texts = new Map<string, string[]>();
  for (const { from, text } of lines) {
    const speech = SERVICES.find(({ name }) => name === from.service)!.speech;
    const declared: Record<string, string> = { source: from.service, 'attr.service': from.service };
    if (speech === 'access' || speech === 'plain' || speech === 'syslog') {
      Object.assign(declared, { 'attr.instance': from.name, 'attr.host': from.host, 'attr.site': from.site });
    }
    const query = new URLSearchParams(declared).toString().slice('source='.length);
    const known = texts.get(query);
    if (known) known.push(text);
    else texts.set(query, [text]);
  }
  return new Map([...texts].map(([query, own]) => [query, own.join('\n')]));
}
