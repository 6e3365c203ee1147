import { Agent, type OutgoingHttpHeaders, request } from 'node:http';
import { text } from 'node:stream/consumers';
import type { Disguise } from '../world/disguise.js';
import type { Signals } from '../world/signals.js';
import { Outbox, type Post } from './outbox.js';
import type { Bytes } from './byte-buffer.js';

/** Requests under way at once: all senders of the fleet, as in life. What arrives together is stored together. */
const PARALLEL = 32;
/** Of bodies of megabytes only a few. */
const LARGE_PARALLEL = 2;
/** For so long an intake that does not answer is tried again. */
const PATIENCE_MS = 60_000;

const isLarge = ({ path }: Post): boolean => path.startsWith('v1/');

/** Sends what the fleet says through the open intake, as any outside sender would. */
export class Sender {
  private outbox: Outbox;
  private readonly agent = new Agent({ keepAlive: true });

  constructor(
    private readonly url: string,
    /** Tells this run's batches from those of another. */
    private readonly run: string,
    /** Gives things other names on their way, where they are to have others. */
    private readonly disguise?: Disguise,
    private readonly patience = PATIENCE_MS,
  ) {
    this.outbox = new Outbox(disguise);
  }

  /** What was gathered since the last time it was sent. */
  get waiting(): Readonly<Outbox['sizes']> {
    return this.outbox.sizes;
  }

  /** Gathers what is to be sent next. */
  gather(signals: Partial<Signals>): void {
    this.outbox.add(signals);
  }

  /**
   * Sends what was gathered in a stretch of time: lines in one batch for each source, each with a key, so that a
   * batch that is sent again is stored once; spans and measurements over the open protocol; changes and runs as
   * events.
   */
  async flush(stretch: string): Promise<void> {
    const posts = this.outbox.posts();
    this.outbox = new Outbox(this.disguise);
    await Promise.all([
      this.sendAll(stretch, posts.filter(isLarge), LARGE_PARALLEL),
      this.sendAll(
        stretch,
        posts.filter((post) => !isLarge(post)),
        PARALLEL,
      ),
    ]);
  }

  send(stretch: string, signals: Partial<Signals>): Promise<void> {
    this.gather(signals);
    return this.flush(stretch);
  }

  private async sendAll(stretch: string, posts: readonly Post[], parallel: number): Promise<void> {
    let next = 0;
    const work = async (): Promise<void> => {
      for (let at = next++; at < posts.length; at = next++)
        await this.post(posts[at]!, `${this.run}/${stretch}/${posts[at]!.name}`);
    };
    await Promise.all(Array.from({ length: parallel }, work));
  }

  private async post(post: Post, key: string): Promise<void> {
    // An answer may take long; what counts is since when there is none.
    let failingSince: number | undefined;
    for (;;) {
      const failure = await this.attempt(post, key);
      if (failure === undefined) return;
      // Sending the same again would not help.
      if (failure.final) throw new Error(`The intake refuses a batch: ${failure.reason}`);
      failingSince ??= Date.now();
      if (Date.now() - failingSince > this.patience)
        throw new Error(`The intake at ${this.url} does not take what is sent: ${failure.reason}`);
      await new Promise((resolve) => setTimeout(resolve, 300));
    }
  }

  /** Undefined when the batch is stored, else what went wrong and whether it will again. */
  private async attempt(
    { path, type, body }: Post,
    key: string,
  ): Promise<{ reason: string; final: boolean } | undefined> {
    try {
      const headers = { 'content-type': type, 'content-length': body.length, 'idempotency-key': key };
      const { status, text } = await this.request(path, headers, body);
      if (status >= 200 && status < 300) return undefined;
      return { reason: text, final: status < 500 && status !== 429 };
    } catch (error) {
      return { reason: String(error), final: false };
    }
  }

  /** Bodies of megabytes go out as they are; fetch would copy each. */
  private request(
    path: string,
    headers: OutgoingHttpHeaders,
    body: Bytes,
  ): Promise<{ status: number; text: string }> {
    return new Promise((resolve, reject) => {
      const sent = request(
        `${this.url}/${path}`,
        { method: 'POST', headers, agent: this.agent },
        (response) => {
          text(response).then((answer) => resolve({ status: response.statusCode!, text: answer }), reject);
        },
      );
      sent.once('error', reject);
      sent.end(body);
    });
  }
}
