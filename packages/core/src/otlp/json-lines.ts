/** Requests in JSON, one on each line, and what stood between them. */
export interface JsonLines {
  requests: unknown[];
  /** Lines that are no JSON, and what is wrong with the first of them. */
  faults: number;
  reason: string;
}

/** Reads a request from each line; undefined where there is but one line, or none of them is JSON. */
export function jsonLines(bytes: Uint8Array): JsonLines | undefined {
  const read: JsonLines = { requests: [], faults: 0, reason: '' };
  const lines = new TextDecoder('utf-8').decode(bytes).split('\n');
  for (const [index, line] of lines.entries()) {
    if (line.trim() === '') continue;
    try {
      read.requests.push(JSON.parse(line));
    } catch (error) {
      read.faults++;
      read.reason ||= `Line ${index + 1} is no JSON: ${error instanceof Error ? error.message : ''}.`;
    }
  }
  return read.requests.length > 0 && read.requests.length + read.faults > 1 ? read : undefined;
}
