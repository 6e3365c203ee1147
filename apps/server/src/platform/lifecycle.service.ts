import { type BeforeApplicationShutdown, Injectable } from '@nestjs/common';
import type { NextFunction, Request, Response } from 'express';

/** Milliseconds for which requests under way are waited for once the server closes down. */
const GRACE_MS = 2500;
const LOOK_MS = 10;

/**
 * How the server closes down: first what comes in is turned away and what was taken is stored and answered; then
 * threads and the database end. Everything that has to wait for its turn waits for `end`.
 */
@Injectable()
export class Lifecycle implements BeforeApplicationShutdown {
  private readonly stop = new AbortController();
  private readonly underWay = new Set<Response>();
  private readonly first: (() => Promise<unknown>)[] = [];
  private ended: Promise<void> | undefined;

  /** Fires when the server begins to close down. */
  get ending(): AbortSignal {
    return this.stop.signal;
  }

  /** What is to be done at once when the server begins to close down, while records can still be stored. */
  onEnding(act: () => Promise<unknown>): void {
    this.first.push(act);
  }

  /** Keeps account of the requests under way. */
  readonly count = (_: Request, response: Response, next: NextFunction): void => {
    this.underWay.add(response);
    response.once('close', () => this.underWay.delete(response));
    next();
  };

  /** Turns away what is new; resolves when what was under way is answered, or has had its time. */
  end(): Promise<void> {
    this.ended ??= this.drain();
    return this.ended;
  }

  beforeApplicationShutdown(): Promise<void> {
    return this.end();
  }

  private async drain(): Promise<void> {
    const until = Date.now() + GRACE_MS;
    this.stop.abort();
    // A stream of news has no end of its own.
    for (const response of this.underWay) if (isStream(response)) response.destroy();
    const acts = Promise.allSettled(this.first.map((act) => act()));
    await Promise.race([acts, pause(GRACE_MS, false)]);
    while (this.underWay.size > 0 && Date.now() < until) await pause(LOOK_MS);
  }
}

const isStream = (response: Response): boolean =>
  String(response.getHeader('content-type') ?? '').startsWith('text/event-stream');

/** @param holds whether the process waits for it */
const pause = (milliseconds: number, holds = true): Promise<void> =>
  new Promise((resolve) => {
    const timer = setTimeout(resolve, milliseconds);
    if (!holds) timer.unref();
  });
