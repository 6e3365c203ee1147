/** Sets of items, a bit for each. */
export class Bits {
  readonly words: Uint32Array;

  constructor(
    readonly length: number,
    words?: Uint32Array,
  ) {
    this.words = words ?? new Uint32Array(Math.ceil(length / 32));
  }

  static from(length: number, holds: (item: number) => boolean): Bits {
    const bits = new Bits(length);
    for (let item = 0; item < length; item++) if (holds(item)) bits.add(item);
    return bits;
  }

  add(item: number): void {
    this.words[item >>> 5]! |= 1 << (item & 31);
  }

  has(item: number): boolean {
    return (this.words[item >>> 5]! & (1 << (item & 31))) !== 0;
  }

  and(other: Bits): Bits {
    const words = new Uint32Array(this.words.length);
    for (let at = 0; at < words.length; at++) words[at] = this.words[at]! & other.words[at]!;
    return new Bits(this.length, words);
  }

  without(other: Bits): Bits {
    const words = new Uint32Array(this.words.length);
    for (let at = 0; at < words.length; at++) words[at] = this.words[at]! & ~other.words[at]!;
    return new Bits(this.length, words);
  }

  get count(): number {
    let sum = 0;
    for (const word of this.words) sum += ones(word);
    return sum;
  }

  /** How many are in both. */
  shared(other: Bits): number {
    let sum = 0;
    for (let at = 0; at < this.words.length; at++) sum += ones(this.words[at]! & other.words[at]!);
    return sum;
  }
}

/** Bits that are set in a word (Warren, Hacker's Delight 5-1). */
function ones(word: number): number {
  let own = word - ((word >>> 1) & 0x55555555);
  own = (own & 0x33333333) + ((own >>> 2) & 0x33333333);
  return Math.imul((own + (own >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
}
