/** Runs writes one after another: SQLite has one writer, and waiting here is cheaper than waiting for its lock. */
export class WriteQueue {
  private last: Promise<unknown> = Promise.resolve();

  run<T>(write: () => Promise<T>): Promise<T> {
    const next = this.last.then(write, write);
    this.last = next.catch(() => undefined);
    return next;
  }

  /** Resolves once everything queued so far is written. */
  async drained(): Promise<void> {
    await this.last;
  }
}
