const FIRST_SIZE = 4096;

export type Bytes = Buffer<ArrayBuffer>;

/** Text that grows outside the script heap, as bytes: of millions of pieces none is held. */
export class TextBuffer {
  private bytes = Buffer.allocUnsafe(FIRST_SIZE);
  private end = 0;

  get length(): number {
    return this.end;
  }

  write(text: string): void {
    // No character takes more than three bytes for each of its units.
    this.room(text.length * 3);
    this.end += this.bytes.write(text, this.end);
  }

  append(other: TextBuffer): void {
    this.room(other.end);
    this.end += other.written().copy(this.bytes, this.end);
  }

  /** What was written so far. */
  written(): Bytes {
    return this.bytes.subarray(0, this.end);
  }

  private room(more: number): void {
    const needed = this.end + more;
    if (needed <= this.bytes.length) return;
    const larger = Buffer.allocUnsafe(Math.max(needed, this.bytes.length * 2));
    this.bytes.copy(larger, 0, 0, this.end);
    this.bytes = larger;
  }
}
