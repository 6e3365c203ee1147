import {
  decodeRequest,
  logLines,
  metricPoints,
  readJson,
  type Signal,
  spanLines,
  WireError,
} from '@flail/core/otlp';
import { type PointsRead, readOpenMetrics, SeriesLineError, seriesPartOf } from '@flail/core/series';
import { type EncodedPoints, encodeParts, encodePointsRead } from '../series/tail.js';

/** A request as it came, and what it is. */
export type DecodeTask =
  | { signal: Signal; type: 'json' | 'protobuf'; bytes: Uint8Array }
  /** Points as they are carried from one store to another, one line for those of a series. */
  | { signal: 'series'; bytes: Uint8Array }
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
  rejected: number;
  reason: string;
}

export type DecodeAnswer =
  { decoded: Decoded } | { refused: 'not-json' | 'not-otlp' | 'not-series'; message: string };

/** Reads one request; the only entrance of a decoding thread. */
export default function decode(task: DecodeTask): DecodeAnswer {
  const { signal } = task;
  if (signal === 'openmetrics')
    return ofPoints(readOpenMetrics(Buffer.from(task.bytes).toString('utf8'), task.arrival, task.labels));
  if (signal === 'series') return carriedSeries(task.bytes);
  try {
    if (task.type === 'json') return readJson(signal, task.bytes, (request) => readItems(signal, request));
    return readItems(signal, decodeRequest(signal, task.bytes));
  } catch (error) {
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
