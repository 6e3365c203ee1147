import { type BeforeApplicationShutdown, Injectable } from '@nestjs/common';
import { type IntervalHistogram, monitorEventLoopDelay } from 'node:perf_hooks';

/** Milliseconds between two looks. */
const RESOLUTION = 10;
const STRETCH_MS = 60_000;

export interface EventLoopDelays {
  /** Longest time for which the server's main thread answered nobody, milliseconds, in the last one to two minutes. */
  longest: number;
  /** The same of one look in a hundred. */
  p99: number;
}

/** Measures for how long the main thread is held up, so that nobody has to guess why answers come late. */
@Injectable()
export class EventLoop implements BeforeApplicationShutdown {
  private readonly delays: IntervalHistogram = monitorEventLoopDelay({ resolution: RESOLUTION });
  private before: EventLoopDelays = { longest: 0, p99: 0 };
  private readonly timer: NodeJS.Timeout;

  constructor() {
    this.delays.enable();
    this.timer = setInterval(() => {
      this.before = this.sinceReset();
      this.delays.reset();
    }, STRETCH_MS);
    this.timer.unref();
  }

  /** What was measured since the minute before this one began. */
  measured(): EventLoopDelays {
    const now = this.sinceReset();
    return { longest: Math.max(now.longest, this.before.longest), p99: Math.max(now.p99, this.before.p99) };
  }

  beforeApplicationShutdown(): void {
    clearInterval(this.timer);
    this.delays.disable();
  }

  private sinceReset(): EventLoopDelays {
    // Each look itself comes some milliseconds after the one before.
    const beyond = (nanos: number): number => Math.max(0, Math.round(nanos / 1e5) / 10 - RESOLUTION);
    return { longest: beyond(this.delays.max), p99: beyond(this.delays.percentile(99)) };
  }
}
