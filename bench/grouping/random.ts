/** A repeatable stream of random numbers from a seed of any text (xmur3 into sfc32). */
export class Random {
  private a: number;
  private b: number;
  private c: number;
  private d = 1;

  constructor(seed: string) {
    let h = 1779033703 ^ seed.length;
    for (let at = 0; at < seed.length; at++) {
      h = Math.imul(h ^ seed.charCodeAt(at), 3432918353);
      h = (h << 13) | (h >>> 19);
    }
    this.a = h;
    this.b = Math.imul(h ^ 0x9e3779b9, 2246822507);
    this.c = Math.imul(h ^ 0x85ebca6b, 3266489909);
    for (let warm = 0; warm < 15; warm++) this.next();
  }

  /** From 0 up to 1, 1 left out. */
  next(): number {
    const sum = (this.a + this.b + this.d++) | 0;
    this.a = this.b ^ (this.b >>> 9);
    this.b = (this.c + (this.c << 3)) | 0;
    this.c = (this.c << 21) | (this.c >>> 11);
    this.c = (this.c + sum) | 0;
    return (sum >>> 0) / 4294967296;
  }

  /** A whole number from `from` to `to`, both included. */
  int(from: number, to: number): number {
    return from + Math.floor(this.next() * (to - from + 1));
  }

  chance(share: number): boolean {
    return this.next() < share;
  }

  pick<T>(of: readonly T[]): T {
    return of[Math.floor(this.next() * of.length)]!;
  }

  /** Some different members. */
  some<T>(of: readonly T[], count: number): T[] {
    const rest = [...of];
    const taken: T[] = [];
    while (taken.length < count && rest.length > 0) {
      taken.push(rest.splice(Math.floor(this.next() * rest.length), 1)[0]!);
    }
    return taken;
  }

  hex(length: number): string {
    let text = '';
    while (text.length < length) text += Math.floor(this.next() * 16).toString(16);
    return text;
  }
}
