import { encodeUtf8 } from '../codec/bytes.js';
import { isObject } from '../records/objects.js';
import { microsOf, momentText } from '../time/moments.js';
import { isMoment } from '../time/range.js';

/**
 * A record on its way from one store to another: the bytes it was received as, and what they do not tell, who
 * sent it and its time.
 */
export interface CarriedRecord {
  /** Its sender's place in the list of senders that is carried along. */
  sender: number;
  /** Microseconds since 1970. */
  micros: number;
  line: Uint8Array;
}

const strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

/** A record as one line of JSON: `{"sender":0,"time":"…","line":"…"}`; bytes that are no UTF-8 are given as base64. */
export function carriedLine(sender: number, micros: number, line: string | Uint8Array): string {
  const head = `{"sender":${sender},"time":"${momentText(micros)}"`;
  if (typeof line === 'string') return `${head},"line":${JSON.stringify(line)}}\n`;
  try {
    return `${head},"line":${JSON.stringify(strict.decode(line))}}\n`;
  } catch {
    return `${head},"base64":"${base64Of(line)}"}\n`;
  }
}

/** Reads such a line; undefined for one that carries no record. */
export function carriedRecord(text: string): CarriedRecord | undefined {
  let record: unknown;
  try {
    record = JSON.parse(text);
  } catch {
    return undefined;
  }
  const { sender, time, line, base64 } = isObject(record) ? record : {};
  const micros = typeof time === 'string' ? microsOf(time) : NaN;
  if (typeof sender !== 'number' || !isMoment(micros)) return undefined;
  if (typeof line === 'string') return { sender, micros, line: encodeUtf8(line) };
  return typeof base64 === 'string' ? { sender, micros, line: bytesOf(base64) } : undefined;
}

const base64Of = (bytes: Uint8Array): string =>
  btoa(Array.from(bytes, (byte) => String.fromCharCode(byte)).join(''));

/** The bytes that base64 stands for; none where it is not base64. */
function bytesOf(text: string): Uint8Array {
  try {
    return Uint8Array.from(atob(text), (one) => one.charCodeAt(0));
  } catch {
    return new Uint8Array(0);
  }
}
