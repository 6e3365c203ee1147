/** Bytes of a block, unless its last record goes on. */
export const BLOCK_BYTES = 1024 * 1024;
/** A block that finds no end by then ends at whatever line there is. */
const MOST_BYTES = 16 * BLOCK_BYTES;

const NEWLINE = 10;
const BRACE = 123;

/**
 * Cuts a stream of JSON lines into blocks that can be read apart, at different places at the same time: a
 * block ends before a line that opens an object. Where it is cut depends on the bytes alone, not on how
 * they came in pieces, so that the same stream sent again makes the same blocks.
 */
export class BlockCutter {
  private held = new Uint8Array(2 * BLOCK_BYTES);
  private length = 0;
  /** Where to go on looking for an end. */
  private looked: number;

  constructor(
    private readonly size = BLOCK_BYTES,
    private readonly most = MOST_BYTES,
  ) {
    this.looked = size;
  }

  /** Takes in the next bytes; returns the blocks that are complete. */
  push(bytes: Uint8Array): Uint8Array[] {
    if (this.length + bytes.length > this.held.length) {
      const grown = new Uint8Array(Math.max(this.held.length * 2, this.length + bytes.length));
      grown.set(this.held.subarray(0, this.length));
      this.held = grown;
    }
    this.held.set(bytes, this.length);
    this.length += bytes.length;
    const blocks: Uint8Array[] = [];
    for (let end = this.end(); end > 0; end = this.end()) {
      blocks.push(this.held.slice(0, end));
      this.held.copyWithin(0, end, this.length);
      this.length -= end;
      this.looked = this.size;
    }
    return blocks;
  }

  /** What is left; undefined when nothing is. */
  rest(): Uint8Array | undefined {
    return this.length > 0 ? this.held.slice(0, this.length) : undefined;
  }

  /** Length of the first block, its last line end included; 0 while it is not complete. */
  private end(): number {
    // Nothing beyond the longest block is looked at, whatever has come already.
    const seen = this.held.subarray(0, Math.min(this.length, this.most + 1));
    for (let found = seen.indexOf(NEWLINE, this.looked); found >= 0 && found + 1 < seen.length;) {
      if (seen[found + 1] === BRACE) return found + 1;
      this.looked = found + 1;
      found = seen.indexOf(NEWLINE, this.looked);
    }
    if (this.length <= this.most) return 0;
    const line = seen.indexOf(NEWLINE, this.size);
    // A line longer than any block is passed on in pieces; whoever reads it says so.
    return line < 0 ? this.most : line + 1;
  }
}
