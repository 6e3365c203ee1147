/** The same bytes as the database's driver takes them, without a copy. */
export const bufferOf = (bytes: Uint8Array): Buffer =>
  Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/**
 * What may be handed over to another thread with these bytes instead of a copy: their memory, where they are all
 * that lies in it. A small Buffer lies in a pool that others share, which must stay here.
 */
export const memoryOf = (bytes: Uint8Array): ArrayBuffer[] =>
  bytes.byteLength === bytes.buffer.byteLength && bytes.buffer instanceof ArrayBuffer ? [bytes.buffer] : [];
