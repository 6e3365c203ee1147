import { isObject, type Unknown } from '../records/objects.js';
import { fieldName } from '../records/fields.js';
import { LEVELS, levelCode } from '../records/levels.js';
import { scopeName, type Sender, senderOf } from './resource.js';
import {
  asText,
  attributesOf,
  identifierOf,
  nanosOf,
  numberOf,
  objectsOf,
  plainValue,
  type PlainValue,
  textOf,
} from './values.js';

/** What one sender sent, as JSON lines. */
export interface SenderLines {
  sender: Sender;
  lines: string[];
}

/** What was read of a request, and what had to be turned away. */
export interface Read<T> {
  parts: T[];
  rejected: number;
  /** Why, of the first that was turned away. */
  reason: string;
}

/** Names that a line has of its own; attributes of these names get a prefix. */
const OWN = new Set(['time', 'level', 'text']);

type Line = [name: string, value: PlainValue][];

/** Log records of a request as JSON lines. */
export function logLines(request: unknown): Read<SenderLines> {
  const read: Read<SenderLines> = { parts: [], rejected: 0, reason: '' };
  for (const group of groupsOf(request, 'resourceLogs')) {
    const lines: string[] = [];
    for (const scope of objectsOf(group.scopeLogs)) {
      for (const record of objectsOf(scope.logRecords)) lines.push(logLine(record, scopeName(scope)));
    }
    if (lines.length > 0) read.parts.push({ sender: senderOf(group.resource), lines });
  }
  return read;
}

function logLine(record: Unknown, scope: string): string {
  const line: Line = [...timeOf(record.timeUnixNano, record.observedTimeUnixNano)];
  const level = levelOf(record);
  if (level !== undefined) line.push(['level', level]);
  const body = plainValue(record.body);
  const event = textOf(record.eventName);
  line.push(['text', body === null ? event : asText(body)]);
  if (event !== '') line.push(['event.name', event]);
  const trace = identifierOf(record.traceId, 32);
  const span = identifierOf(record.spanId, 16);
  if (trace !== undefined) line.push(['trace', trace]);
  if (span !== undefined) line.push(['span', span]);
  if (scope !== '') line.push(['scope.name', scope]);
  return written(line, record.attributes);
}

/** The sender's own word for the level where it is one that is known, else what its number stands for. */
function levelOf({ severityText, severityNumber }: Unknown): string | undefined {
  const text = textOf(severityText);
  if (levelCode(text) > 0) return text;
  const number = numberOf(severityNumber) ?? 0;
  // Four numbers to a level, from trace (1–4) to fatal (21–24).
  return number >= 1 && number <= 24 ? LEVELS[Math.ceil(number / 4)] : text === '' ? undefined : text;
}

const KINDS = ['unset', 'internal', 'server', 'client', 'producer', 'consumer'];
const STATUS = ['unset', 'ok', 'error'];
const MAX_NANOS = 2n ** 63n;

/** Spans of a request as JSON lines. */
export function spanLines(request: unknown): Read<SenderLines> {
  const read: Read<SenderLines> = { parts: [], rejected: 0, reason: '' };
  for (const group of groupsOf(request, 'resourceSpans')) {
    const lines: string[] = [];
    for (const scope of objectsOf(group.scopeSpans)) {
      for (const span of objectsOf(scope.spans)) {
        const line = spanLine(span, scopeName(scope));
        if ('line' in line) lines.push(line.line);
        else {
          read.rejected++;
          if (read.reason === '') read.reason = line.reason;
        }
      }
    }
    if (lines.length > 0) read.parts.push({ sender: senderOf(group.resource), lines });
  }
  return read;
}

function spanLine(span: Unknown, scope: string): { line: string } | { reason: string } {
  const name = textOf(span.name);
  const trace = identifierOf(span.traceId, 32);
  const id = identifierOf(span.spanId, 16);
  if (trace === undefined) return { reason: `Span "${name}" has no trace id of 16 bytes.` };
  if (id === undefined) return { reason: `Span "${name}" has no span id of 8 bytes.` };
  const start = nanosOf(span.startTimeUnixNano);
  const end = nanosOf(span.endTimeUnixNano);
  if (start === undefined || end === undefined || end >= MAX_NANOS)
    return { reason: `Span "${name}" has no start and end.` };
  if (end < start) return { reason: `Span "${name}" ends before it starts.` };
  const status = isObject(span.status) ? span.status : {};
  const code = STATUS[numberOf(status.code) ?? 0] ?? 'unset';
  const line: Line = [
    ...timeOf(span.startTimeUnixNano),
    ...(code === 'error' ? ([['level', 'error']] as Line) : []),
    ['text', name],
    ['trace', trace],
    ['span', id],
  ];
  const parent = identifierOf(span.parentSpanId, 16);
  if (parent !== undefined) line.push(['parent', parent]);
  line.push(
    ['kind', KINDS[numberOf(span.kind) ?? 0] ?? 'unset'],
    ['duration', durationText(end - start)],
    ['status', code],
  );
  if (textOf(status.message) !== '') line.push(['status.message', textOf(status.message)]);
  if (scope !== '') line.push(['scope.name', scope]);
  const events = objectsOf(span.events).map((event) => ({
    at: durationText((nanosOf(event.timeUnixNano) ?? start) - start),
    name: textOf(event.name),
    ...Object.fromEntries(attributesOf(event.attributes)),
  }));
  if (events.length > 0) line.push(['events', events]);
  const links = objectsOf(span.links).map((link) => ({
    trace: identifierOf(link.traceId, 32) ?? '',
    span: identifierOf(link.spanId, 16) ?? '',
  }));
  if (links.length > 0) line.push(['links', links]);
  return { line: written(line, span.attributes) };
}

/** Nanoseconds in milliseconds, none of them lost: all with as many digits, so that they are stored as numbers. */
function durationText(nanos: bigint): string {
  const sign = nanos < 0n ? '-' : '';
  const digits = String(nanos < 0n ? -nanos : nanos).padStart(7, '0');
  return `${sign}${digits.slice(0, -6)}.${digits.slice(-6)}ms`;
}

/** The first moment given, as the line tells it; nanoseconds beyond microseconds stand apart. */
function timeOf(...moments: unknown[]): Line {
  const nanos = moments.map(nanosOf).find((moment) => moment !== undefined);
  if (nanos === undefined || nanos >= MAX_NANOS) return [];
  const micros = nanos / 1000n;
  const second = new Date(Number(micros / 1_000_000n) * 1000).toISOString().slice(0, 19);
  const rest = Number(nanos % 1000n);
  return [
    ['time', `${second}.${String(micros % 1_000_000n).padStart(6, '0')}Z`],
    ...(rest > 0 ? ([['nanos', rest]] as Line) : []),
  ];
}

/** A line with the attributes behind it. */
function written(line: Line, attributes: unknown): string {
  const names = new Set(line.map(([name]) => name));
  for (const [name, value] of attributesOf(attributes)) {
    const own = OWN.has(fieldName(name)) || names.has(name) ? `attributes.${name}` : name;
    line.push([own, value]);
  }
  return `{${line.map(([name, value]) => `${JSON.stringify(name)}:${JSON.stringify(value)}`).join(',')}}`;
}

/** The groups of a request by resource; throws on what is no request. */
export function groupsOf(request: unknown, name: string): Unknown[] {
  if (!isObject(request)) throw new TypeError('The request is no object.');
  const groups = request[name];
  if (groups !== undefined && groups !== null && !Array.isArray(groups))
    throw new TypeError(`"${name}" is no list.`);
  return objectsOf(groups);
}
