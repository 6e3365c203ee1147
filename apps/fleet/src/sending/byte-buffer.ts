const FIRST_SIZE = 4096;

export type Bytes = Buffer<ArrayBuffer>;

/** Bytes that grow outside the script heap: of millions of pieces none is held. */
export class ByteBuffer {
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

  append(more: Uint8Array): void {
    this.room(more.length);
    this.bytes.set(more, this.end);
    this.end += more.length;
  }

  /** What was written so far. */
  written(): Bytes {
    return this.bytes.subarray(0, this.end);
  }

  private room(more: number): void {
    const needed = this.end + more;
    if (needed <= this.bytes.length) return;
    const larger = Buffer.allocUnsafe(Math.max(needed, this.bytes.length * 2));
    larger.set(this.written());
    this.bytes = larger;
  }
}
