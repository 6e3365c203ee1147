/** What a file of a bundle holds. */
export type FileKind =
  | 'lines'
  | 'otlp logs'
  | 'otlp traces'
  | 'otlp metrics'
  | 'openmetrics'
  | 'changes'
  | 'runs'
  | 'series'
  | 'rules';

/** By what a JSON object is told: the names that it has. */
const NAMES: [kind: FileKind, names: string[]][] = [
  ['otlp logs', ['resourceLogs']],
  ['otlp traces', ['resourceSpans']],
  ['otlp metrics', ['resourceMetrics']],
  ['changes', ['specversion', 'type', 'source']],
  ['runs', ['eventTime', 'run', 'job']],
  ['series', ['metric', 'times', 'columns']],
];

/** The kind of a file that is one JSON document, or a list; log lines where it is neither. */
export function kindOfJson(text: string): FileKind {
  try {
    const body = JSON.parse(text) as unknown;
    return kindOf(Array.isArray(body) ? body[0] : body);
  } catch {
    return 'lines';
  }
}

function kindOf(body: unknown): FileKind {
  if (typeof body !== 'object' || body === null) return 'lines';
  return NAMES.find(([, names]) => names.every((name) => name in body))?.[0] ?? 'lines';
}
