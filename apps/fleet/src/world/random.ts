import { unsafeUniformIntDistribution, xoroshiro128plus, type RandomGenerator } from 'pure-rand';

/** Random numbers that depend on a seed and on what they are for, and on nothing else. */
export class Random {
  private readonly generator: RandomGenerator;

  constructor(private readonly seed: string) {
    this.generator = xoroshiro128plus(hash(seed));
  }

  /** Random numbers for another purpose, independent of how many were drawn here. */
  fork(purpose: string | number): Random {
    return new Random(`${this.seed}/${purpose}`);
  }

  /** A whole number from 0 to `below`, without it. */
  whole(below: number): number {
    return unsafeUniformIntDistribution(0, below - 1, this.generator);
  }

  /** From 0 to 1. */
  unit(): number {
    return this.whole(2 ** 30) / 2 ** 30;
  }

  chance(probability: number): boolean {
    return this.unit() < probability;
  }

  pick<T>(choices: readonly T[]): T {
    return choices[this.whole(choices.length)]!;
  }

  between(low: number, high: number): number {
    return low + this.unit() * (high - low);
  }

  /** Exponentially distributed waiting time. */
  exponential(mean: number): number {
    return -Math.log(1 - this.unit()) * mean;
  }

  /** How many events of a mean number happen (Knuth for small means, the normal approximation for large ones). */
  poisson(mean: number): number {
    if (mean > 60) return Math.max(0, Math.round(mean + Math.sqrt(mean) * this.normal()));
    const limit = Math.exp(-mean);
    let count = 0;
    for (let product = this.unit(); product > limit; product *= this.unit()) count++;
    return count;
  }

  normal(): number {
    return Math.sqrt(-2 * Math.log(1 - this.unit())) * Math.cos(2 * Math.PI * this.unit());
  }

  /** A duration around a median with a long tail, as response times have. */
  duration(median: number, spread = 0.5): number {
    return median * Math.exp(spread * this.normal());
  }

  hex(digits: number): string {
    let text = '';
    while (text.length < digits)
      text += this.whole(2 ** 28)
        .toString(16)
        .padStart(7, '0');
    return text.slice(0, digits);
  }
}

function hash(text: string): number {
  let value = 0x811c9dc5;
  for (let at = 0; at < text.length; at++) value = Math.imul(value ^ text.charCodeAt(at), 0x01000193);
  return value;
}
