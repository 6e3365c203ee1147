import {
  decodeRequest,
  logLines,
  metricPoints,
  jsonLines,
  type JsonLines,
  readJson,
  type Signal,
  spanLines,
  WireError,
} from '@flail/core/otlp';
import { PointsRead, readOpenMetrics, SeriesLineError, seriesPartOf } from '@flail/core/series';
import { EventsError, type EventKind, readEvents, type ReadEvents } from '../events/events-in-lines.js';
import { type EncodedPoints, encodeParts, encodePointsRead } from '../series/tail.js';

/** A request as it came, and what it is. */
export type DecodeTask =
  | { signal: Signal; type: 'json' | 'protobuf'; bytes: Uint8Array }
  /** Points as they are carried from one store to another, one line for those of a series. */
  | { signal: 'series'; bytes: Uint8Array }
  | { signal: EventKind; arrival: number; bytes: Uint8Array }
  | { signal: 'openmetrics'; labels: Record<string, string>; arrival: number; bytes: Uint8Array };

/** Lines of one sender, as bytes. */
export interface DecodedPart {
  source: string;
  attributes: Record<string, string>;
  bytes: Uint8Array;
  lines: number;
}

export interface Decoded {
  parts: DecodedPart[];
  points?: EncodedPoints;
  events?: ReadEvents;
  rejected: number;
  reason: string;
}

export type DecodeAnswer = { decoded: Decoded } | { refused: string; message: string };

/** Reads one request; the only entrance of a decoding thread. */
export default function decode(task: DecodeTask): DecodeAnswer {
  try {
    return read(task);
  } catch (error) {
    if (error instanceof EventsError) return { refused: error.code, message: error.message };
    // What lies too deep in itself can't be gone through.
    if (error instanceof RangeError && /call stack/.test(error.message))
      return { refused: 'too-deep', message: 'Its values lie too deep in one another.' };
    if (error instanceof SyntaxError)
      return { refused: 'not-json', message: `The body is no JSON: ${error.message}.` };
    if (error instanceof WireError)
      return {
        refused: 'not-otlp',
        message: `The body is no request in protocol buffers: ${error.message}.`,
      };
    if (!(error instanceof TypeError)) throw error;
    return { refused: 'not-otlp', message: error.message };
  }
}

function read(task: DecodeTask): DecodeAnswer {
  switch (task.signal) {
    case 'openmetrics':
      return ofPoints(readOpenMetrics(Buffer.from(task.bytes).toString('utf8'), task.arrival, task.labels));
    case 'series':
      return carriedSeries(task.bytes);
    case 'changes':
    case 'runs': {
      const events = readEvents(task.signal, task.bytes, task.arrival);
      return { decoded: { parts: [], rejected: 0, reason: '', events } };
    }
    default:
      return task.type === 'json'
        ? readRequests(task.signal, task.bytes)
        : readItems(task.signal, decodeRequest(task.signal, task.bytes));
  }
}

/** Reads a request in JSON, or one on each line. */
function readRequests(signal: Signal, bytes: Uint8Array): DecodeAnswer {
  try {
    return readJson(signal, bytes, (request) => readItems(signal, request));
  } catch (error) {
    const lines = error instanceof SyntaxError ? jsonLines(bytes) : undefined;
    if (!lines) throw error;
    return together(signal, lines);
  }
}

/** What is read of requests; a line that is none is counted, and spoils no other. */
function together(signal: Signal, { requests, faults, reason }: JsonLines): DecodeAnswer {
  if (signal === 'metrics') {
    const read = new PointsRead();
    if (faults > 0) read.refuse(faults, reason);
    for (const request of requests) metricPoints(request, read);
    return ofPoints(read);
  }
  const sum: Decoded = { parts: [], rejected: faults, reason };
  for (const request of requests) {
    const answer = readItems(signal, request);
    if (!('decoded' in answer)) continue;
    sum.parts.push(...answer.decoded.parts);
    sum.rejected += answer.decoded.rejected;
    sum.reason ||= answer.decoded.reason;
  }
  return { decoded: { ...sum, parts: bySender(sum.parts) } };
}

/** Parts of one sender in one, so that a thousand requests of one record each are not a thousand parts. */
function bySender(parts: readonly DecodedPart[]): DecodedPart[] {
  const gathered = new Map<string, DecodedPart[]>();
  for (const part of parts) {
    const key = JSON.stringify([part.source, part.attributes]);
    const own = gathered.get(key);
    if (own) own.push(part);
    else gathered.set(key, [part]);
  }
  const newline = Uint8Array.of(10);
  return [...gathered.values()].map((own) => ({
    ...own[0]!,
    lines: own.reduce((sum, { lines }) => sum + lines, 0),
    bytes: new Uint8Array(
      Buffer.concat(own.flatMap(({ bytes }, at) => (at === 0 ? [bytes] : [newline, bytes]))),
    ),
  }));
}

function readItems(signal: Signal, request: unknown): DecodeAnswer {
  if (signal === 'metrics') return ofPoints(metricPoints(request));
  const { parts, rejected, reason } = (signal === 'logs' ? logLines : spanLines)(request);
  return {
    decoded: { parts: parts.map(({ sender, ...lines }) => ({ ...sender, ...lines })), rejected, reason },
  };
}

function ofPoints(read: PointsRead): DecodeAnswer {
  const { rejected, reason } = read;
  return { decoded: { parts: [], points: encodePointsRead(read), rejected, reason } };
}

function carriedSeries(bytes: Uint8Array): DecodeAnswer {
  const lines = Buffer.from(bytes)
    .toString('utf8')
    .split('\n')
    .filter((line) => line !== '');
  try {
    const points = encodeParts(lines.map(seriesPartOf));
    return { decoded: { parts: [], points, rejected: 0, reason: '' } };
  } catch (error) {
    if (!(error instanceof SeriesLineError)) throw error;
    return { refused: 'not-series', message: error.message };
  }
}
