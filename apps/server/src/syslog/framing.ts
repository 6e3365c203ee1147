/** A message longer than this is no message. */
const LARGEST = 1024 * 1024;
const DIGIT_0 = 48;
const DIGIT_9 = 57;
const SPACE = 32;
const NEWLINE = 10;

/** Bytes that can't be cut into messages. */
export class FramingError extends Error {}

/**
 * Cuts a stream of syslog over TCP into messages, as of RFC 6587: each either with its length before it, or
 * with a newline behind it, as its first character tells.
 */
export class Framing {
  private rest: Buffer = Buffer.alloc(0);

  /** Messages that the bytes complete. */
  push(bytes: Buffer): Buffer[] {
    let left = this.rest.length === 0 ? bytes : Buffer.concat([this.rest, bytes]);
    const messages: Buffer[] = [];
    for (;;) {
      const cut = cutOne(left);
      if (!cut) break;
      if (cut.message.length > 0) messages.push(cut.message);
      left = left.subarray(cut.end);
    }
    if (left.length > LARGEST + 16) throw new FramingError('A message has no end.');
    this.rest = Buffer.from(left);
    return messages;
  }

  /** What is left at the end of the stream: a message without its newline, or nothing. */
  end(): Buffer[] {
    const { rest } = this;
    this.rest = Buffer.alloc(0);
    const counted = rest.length > 0 && isDigit(rest[0]!);
    return rest.length > 0 && !counted ? [withoutReturn(rest)] : [];
  }
}

const isDigit = (byte: number): boolean => byte > DIGIT_0 && byte <= DIGIT_9;

function cutOne(bytes: Buffer): { message: Buffer; end: number } | undefined {
  if (bytes.length === 0) return undefined;
  if (!isDigit(bytes[0]!)) {
    const end = bytes.indexOf(NEWLINE);
    return end < 0 ? undefined : { message: withoutReturn(bytes.subarray(0, end)), end: end + 1 };
  }
  const space = bytes.subarray(0, 9).indexOf(SPACE);
  if (space < 0) {
    if (bytes.length >= 9) throw new FramingError('A length is too long.');
    return undefined;
  }
  const length = Number(bytes.toString('latin1', 0, space));
  if (!Number.isInteger(length) || length > LARGEST) throw new FramingError('A length is no number.');
  const end = space + 1 + length;
  return bytes.length < end ? undefined : { message: bytes.subarray(space + 1, end), end };
}

const withoutReturn = (bytes: Buffer): Buffer =>
  bytes.at(-1) === 13 ? bytes.subarray(0, bytes.length - 1) : bytes;
