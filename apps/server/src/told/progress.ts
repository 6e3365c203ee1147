import type { ProgressBody } from '@flail/contract';

/** A long task was no longer wanted. */
export class NotWantedError extends Error {}

const PLACES = 3;
const [DONE, TOTAL, STOP] = [0, 1, 2];
const TELL_MS = 150;

/** How far a thread has got with a long task, shared with the thread that asked. */
export class Progress {
  private readonly numbers: Int32Array;

  constructor(readonly shared = new SharedArrayBuffer(PLACES * Int32Array.BYTES_PER_ELEMENT)) {
    this.numbers = new Int32Array(shared);
  }

  get done(): number {
    return Atomics.load(this.numbers, DONE);
  }

  get total(): number {
    return Atomics.load(this.numbers, TOTAL);
  }

  /** Says how far it has got; throws when nobody waits for it any more. */
  tell(done: number, total: number): void {
    Atomics.store(this.numbers, DONE, done);
    Atomics.store(this.numbers, TOTAL, total);
    if (Atomics.load(this.numbers, STOP) === 1) throw new NotWantedError('It is no longer wanted.');
  }

  stop(): void {
    Atomics.store(this.numbers, STOP, 1);
  }
}

/** Runs a long task, tells how far it is while it goes on, and stops it when the asker has gone. */
export async function watched<T>(
  run: (progress: SharedArrayBuffer) => Promise<T>,
  tell?: (news: ProgressBody) => void,
  signal?: AbortSignal,
): Promise<T> {
  const progress = new Progress();
  const stop = (): void => progress.stop();
  signal?.addEventListener('abort', stop);
  const timer =
    tell &&
    setInterval(() => {
      if (progress.total > 0) tell({ done: progress.done, total: progress.total });
    }, TELL_MS);
  try {
    return await run(progress.shared);
  } finally {
    clearInterval(timer);
    signal?.removeEventListener('abort', stop);
  }
}
