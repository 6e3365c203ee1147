/** Runs writes one after another: SQLite has one writer, and waiting here is cheaper than waiting for its lock. */
export class WriteQueue {
  private last: Promise<unknown> = Promise.resolve();
  private queued = 0;

  /** Writes that are under way or wait for their turn. */
  get length(): number {
    return this.queued;
  }

  run<T>(write: () => Promise<T>): Promise<T> {
    this.queued++;
    const next = this.last.then(write, write).finally(() => this.queued--);
    this.last = next.catch(() => undefined);
    return next;
  }

  /** Resolves once everything queued so far is written. */
  async drained(): Promise<void> {
    await this.last;
  }
}

/**
 * Small writes of one kind that are done together: while others are written, those that come gather, and have one
 * place in the queue. A thousand batches that each note something then cost a handful of transactions.
 */
export class BundledWrites<T, R = void> {
  private gathered: T[] = [];
  private next: Promise<readonly R[]> | undefined;

  /** @param write writes what was gathered, in the order in which it came; gives what comes of each */
  constructor(
    private readonly queue: WriteQueue,
    private readonly write: (gathered: readonly T[]) => Promise<readonly R[]>,
  ) {}

  /** Resolves once it is written. */
  async add(one: T): Promise<R> {
    const place = this.gathered.push(one) - 1;
    this.next ??= this.queue.run(() => {
      const gathered = this.gathered;
      this.gathered = [];
      this.next = undefined;
      return this.write(gathered);
    });
    return (await this.next)[place]!;
  }
}
