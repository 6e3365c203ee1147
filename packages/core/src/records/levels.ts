/**
 * Severity of a record. The order is that of OpenTelemetry's severity ranges; 0 means that the sender
 * gave none.
 */
export const LEVELS = ['unset', 'trace', 'debug', 'info', 'warn', 'error', 'fatal'] as const;
export type Level = (typeof LEVELS)[number];

export const LEVEL_WARN = 4;
export const LEVEL_ERROR = 5;

const CODES = new Map<string, number>([
  ['trace', 1],
  ['silly', 1],
  ['finest', 1],
  ['verbose', 1],
  ['debug', 2],
  ['dbg', 2],
  ['fine', 2],
  ['info', 3],
  ['information', 3],
  ['informational', 3],
  ['notice', 3],
  ['log', 3],
  ['hint', 3],
  ['statement', 3],
  ['detail', 3],
  ['context', 3],
  ['query', 3],
  ['location', 3],
  ['warn', 4],
  ['warning', 4],
  ['error', 5],
  ['err', 5],
  ['severe', 5],
  ['failure', 5],
  ['fatal', 6],
  ['critical', 6],
  ['crit', 6],
  ['alert', 6],
  ['emerg', 6],
  ['emergency', 6],
  ['panic', 6],
]);

const cache = new Map<string, number>();

/** Code (index into `LEVELS`) of a level as a sender writes it: a word in any case, or OpenTelemetry's severity number 1–24, or the tens 30–60 that some libraries count in. */
export function levelCode(raw: string): number {
  let code = cache.get(raw);
  if (code === undefined) {
    code = CODES.get(raw.toLowerCase()) ?? severityNumber(raw);
    if (cache.size < 1000) cache.set(raw, code);
  }
  return code;
}

function severityNumber(raw: string): number {
  if (!/^\d{1,2}$/.test(raw)) return 0;
  const severity = Number(raw);
  if (severity >= 1 && severity <= 24) return Math.ceil(severity / 4);
  return severity % 10 === 0 && severity <= 60 ? severity / 10 : 0;
}

/** True when the text is a level word that plain text may carry in front of its message. */
export function isLevelWord(raw: string): boolean {
  return CODES.has(raw.toLowerCase());
}

/** Level of an HTTP answer: server faults are errors, refused requests warnings. */
export function levelOfStatus(status: number): number {
  if (status >= 500) return 5;
  if (status >= 400) return 4;
  return 3;
}
