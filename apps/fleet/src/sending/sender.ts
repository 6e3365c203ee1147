import { SERVICES } from '../world/company.js';
import type { Line } from '../world/line.js';

/** Requests under way at once: all senders of the fleet, as in life. What arrives together is stored together. */
const PARALLEL = 32;
const PATIENCE_MS = 20_000;

/** Sends lines through the open intake, as any outside sender would. */
export class Sender {
  constructor(
    private readonly url: string,
    /** Tells this run's batches from those of another. */
    private readonly run: string,
  ) {}

  /**
   * Sends the lines of a stretch of time: for each source one batch, with a key, so that a batch that is
   * sent again is stored once.
   */
  async send(stretch: string, lines: readonly Line[]): Promise<number> {
    const batches = [...batchesOf(lines)];
    let next = 0;
    const work = async (): Promise<void> => {
      for (let at = next++; at < batches.length; at = next++) {
        const [query, text] = batches[at]!;
        await this.post(`source=${query}`, `${this.run}/${stretch}/${query}`, text);
      }
    };
    await Promise.all(Array.from({ length: PARALLEL }, work));
    return lines.length;
  }

  private async post(query: string, key: string, body: string): Promise<void> {
    const started = Date.now();
    for (;;) {
      const failure = await this.attempt(query, key, body);
      if (failure === undefined) return;
      // Sending the same again would not help.
      if (failure.final) throw new Error(`The intake refuses a batch: ${failure.reason}`);
      if (Date.now() - started > PATIENCE_MS)
        throw new Error(`The intake at ${this.url} does not take lines: ${failure.reason}`);
      await new Promise((resolve) => setTimeout(resolve, 300));
    }
  }

  /** Undefined when the batch is stored, else what went wrong and whether it will again. */
  private async attempt(
    query: string,
    key: string,
    body: string,
  ): Promise<{ reason: string; final: boolean } | undefined> {
    try {
      const response = await fetch(`${this.url}/api/v1/intake/logs?${query}`, {
        method: 'POST',
        headers: { 'content-type': 'text/plain', 'idempotency-key': key },
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
    if (speech === 'access' || speech === 'plain') {
      Object.assign(declared, { 'attr.instance': from.name, 'attr.host': from.host, 'attr.site': from.site });
    }
    const query = new URLSearchParams(declared).toString().slice('source='.length);
    const known = texts.get(query);
    if (known) known.push(text);
    else texts.set(query, [text]);
  }
  return new Map([...texts].map(([query, own]) => [query, own.join('\n')]));
}
