/** How many seconds of the fleet's time pass in one: 0 stands still. */
export const SPEEDS = [0, 1, 10, 30, 60] as const;
export type Speed = (typeof SPEEDS)[number];

/** The time of the fleet after its history: as fast as ours, unless it is set to another speed. */
export class LiveClock {
  private since: number;

  /** @param from the moment that it begins with, milliseconds since 1970 */
  constructor(
    private from: number,
    private running: Speed = 1,
    private readonly ours: () => number = Date.now,
  ) {
    this.since = ours();
  }

  get speed(): Speed {
    return this.running;
  }

  now(): number {
    return this.from + (this.ours() - this.since) * this.running;
  }

  set(speed: Speed): void {
    this.from = this.now();
    this.since = this.ours();
    this.running = speed;
  }
}

/** The speed that a value names; undefined where it is none. */
export const speedOf = (value: unknown): Speed | undefined =>
  SPEEDS.find((speed) => String(speed) === String(value));
