import { viewOf } from '../codec/bytes.js';

/** Bytes before each message that tell its length. */
const HEAD = 4;

/** Puts whole messages one behind another, each behind its length, so that any bytes can be in them. */
export function framed(messages: readonly Uint8Array[]): Uint8Array {
  const bytes = new Uint8Array(messages.reduce((sum, { length }) => sum + HEAD + length, 0));
  const view = viewOf(bytes);
  let at = 0;
  for (const message of messages) {
    view.setUint32(at, message.length, true);
    bytes.set(message, at + HEAD);
    at += HEAD + message.length;
  }
  return bytes;
}

/** The messages that `framed` put together. */
export function* messagesIn(bytes: Uint8Array): Generator<Uint8Array> {
  const view = viewOf(bytes);
  for (let at = 0; at < bytes.length;) {
    const length = view.getUint32(at, true);
    yield bytes.subarray(at + HEAD, at + HEAD + length);
    at += HEAD + length;
  }
}
