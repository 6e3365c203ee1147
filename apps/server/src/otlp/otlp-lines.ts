import type { Signal } from '@flail/core/otlp';

/** The member by which a request of each signal begins. */
const BEGINNINGS: Record<Signal, RegExp> = {
  logs: /^\s*\{\s*"resourceLogs"\s*:/,
  traces: /^\s*\{\s*"resourceSpans"\s*:/,
  metrics: /^\s*\{\s*"resourceMetrics"\s*:/,
};
const LOOKED_AT = 200;

/** What signal a request of OTLP in JSON carries, by how it begins; undefined for anything else. */
export function signalOfLine(bytes: Uint8Array): Signal | undefined {
  const text = Buffer.from(bytes.subarray(0, LOOKED_AT)).toString('latin1');
  return (Object.keys(BEGINNINGS) as Signal[]).find((signal) => BEGINNINGS[signal].test(text));
}
