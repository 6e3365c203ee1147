/** Bytes of a message at most; what is longer is cut. */
export const LARGEST = 1024 * 1024;
const DIGIT_0 = 48;
const DIGIT_9 = 57;
const SPACE = 32;
const NEWLINE = 10;
/** With it a message begins. */
const PRIORITY = 60;
/** Digits of a length, at most. */
const MOST_DIGITS = 7;
/** Of TLS, the first bytes of what a client says first: the kind of record, and the major version of the protocol. */
const HANDSHAKE = [0x16, 0x03];

/** True for the first bytes of a stream that speaks TLS. */
export const isTls = (bytes: Uint8Array): boolean =>
  bytes.length >= HANDSHAKE.length && HANDSHAKE.every((byte, at) => bytes[at] === byte);

/**
 * Cuts a stream of syslog over TCP into messages, as of RFC 6587: each either with its length before it, or
 * with a newline behind it, as its beginning tells. What is neither is a line of bytes like any other: nothing is
 * turned away, and what has no end is cut.
 */
export class Framing {
  private rest: Buffer = Buffer.alloc(0);
  /** Messages that were cut because they were too long. */
  cut = 0;

  /** Messages that the bytes complete. */
  push(bytes: Buffer): Buffer[] {
    let left = this.rest.length === 0 ? bytes : Buffer.concat([this.rest, bytes]);
    const messages: Buffer[] = [];
    for (;;) {
      const found = cutOne(left) ?? this.cutLong(left);
      if (!found) break;
      if (found.message.length > 0) messages.push(found.message);
      left = left.subarray(found.end);
    }
    // A copy, so that a few bytes do not keep all that came with them.
    this.rest = Buffer.from(left);
    return messages;
  }

  /** What is left at the end of the stream: a message without its end, or nothing. */
  end(): Buffer[] {
    const { rest } = this;
    this.rest = Buffer.alloc(0);
    return rest.length > 0 ? [withoutReturn(rest)] : [];
  }

  private cutLong(bytes: Buffer): Cut | undefined {
    if (bytes.length <= LARGEST + MOST_DIGITS + 1) return undefined;
    this.cut++;
    return { message: bytes.subarray(0, LARGEST), end: LARGEST };
  }
}

interface Cut {
  message: Buffer;
  end: number;
}

/** The first message of some bytes; undefined where it does not end in them. */
function cutOne(bytes: Buffer): Cut | undefined {
  const length = lengthBefore(bytes);
  if (length === 'open') return undefined;
  if (length === undefined) {
    const end = bytes.indexOf(NEWLINE);
    return end < 0 ? undefined : { message: withoutReturn(bytes.subarray(0, end)), end: end + 1 };
  }
  const end = length.from + length.bytes;
  return bytes.length < end ? undefined : { message: bytes.subarray(length.from, end), end };
}

/** The length that stands before a message; undefined where there is none, "open" where more bytes will tell. */
function lengthBefore(bytes: Buffer): { bytes: number; from: number } | 'open' | undefined {
  let at = 0;
  while (at < bytes.length && at < MOST_DIGITS && isDigit(bytes[at]!, at)) at++;
  if (at === bytes.length) return 'open';
  if (at === 0 || bytes[at] !== SPACE) return undefined;
  if (at + 1 === bytes.length) return 'open';
  const length = Number(bytes.toString('latin1', 0, at));
  return bytes[at + 1] === PRIORITY && length <= LARGEST ? { bytes: length, from: at + 1 } : undefined;
}

/** A length does not begin with a nought. */
const isDigit = (byte: number, at: number): boolean =>
  byte > (at === 0 ? DIGIT_0 : DIGIT_0 - 1) && byte <= DIGIT_9;

const withoutReturn = (bytes: Buffer): Buffer =>
  bytes.at(-1) === 13 ? bytes.subarray(0, bytes.length - 1) : bytes;
