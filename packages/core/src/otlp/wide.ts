const TWO_TO_32 = 2 ** 32;

/** An unsigned integer of 64 bits that no double holds, as moments in nanoseconds are. */
export class Wide {
  constructor(
    readonly high: number,
    readonly low: number,
  ) {}

  /** The double next to it. */
  get value(): number {
    return this.high * TWO_TO_32 + this.low;
  }

  /** What it is in thousands, and what is beyond them. */
  get thousands(): { thousands: number; beyond: number } {
    const rest = (this.high % 1000) * TWO_TO_32 + this.low;
    return {
      thousands: Math.floor(this.high / 1000) * TWO_TO_32 + Math.floor(rest / 1000),
      beyond: rest % 1000,
    };
  }
}
