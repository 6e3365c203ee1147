import { ByteWriter } from '../codec/bytes.js';
import { isObject, type Unknown } from '../records/objects.js';
import { fieldName } from '../records/fields.js';
import { LEVELS, levelCode } from '../records/levels.js';
import { MOMENTS_TEXT } from '../time/range.js';
import { durationText, isBefore, microsText, nanosOf } from './nanos.js';
import { itemsOf } from './items.js';
import { scopeName, type Sender, senderOf } from './resource.js';
import {
  asText,
  attributesOf,
  identifierOf,
  numberOf,
  objectsOf,
  plainValue,
  type PlainValue,
  textOf,
} from './values.js';

/** What one sender sent, as JSON lines. */
export interface SenderLines {
  sender: Sender;
  /** With a line feed between one and the next. */
  bytes: Uint8Array;
  lines: number;
}

const CHARACTER = { newline: 0x0a, comma: 0x2c, colon: 0x3a, open: 0x7b, close: 0x7d };

/** Writes JSON lines as bytes, in one go: there are millions of them, each of many pieces. */
class LineWriter {
  private readonly bytes = new ByteWriter();
  private count = 0;
  /** Names of the line that is written. */
  private readonly names: string[] = [];

  begin(): void {
    if (this.count++ > 0) this.bytes.u8(CHARACTER.newline);
    this.names.length = 0;
    this.bytes.u8(CHARACTER.open);
  }

  add(name: string, value: PlainValue): void {
    if (this.names.length > 0) this.bytes.u8(CHARACTER.comma);
    this.names.push(name);
    this.bytes.quoted(name);
    this.bytes.u8(CHARACTER.colon);
    if (typeof value === 'string') this.bytes.quoted(value);
    else this.bytes.text(JSON.stringify(value));
  }

  /** The first moment given, as the line tells it; nanoseconds beyond microseconds stand apart. */
  time(first: unknown, second?: unknown): void {
    const nanos = nanosOf(first) ?? nanosOf(second);
    if (nanos === undefined) return;
    this.add('time', microsText(nanos));
    if (nanos.beyond > 0) this.add('nanos', nanos.beyond);
  }

  /** Ends the line with attributes; those of a name that it has already get a prefix. */
  end(attributes: unknown): void {
    const own = this.names.length;
    for (const [name, value] of attributesOf(attributes)) {
      const place = this.names.indexOf(name);
      const taken = OWN.has(fieldName(name)) || (place >= 0 && place < own);
      this.add(taken ? `attributes.${name}` : name, value);
    }
    this.bytes.u8(CHARACTER.close);
  }

  /** The lines of a sender; nothing where there is no line. */
  from(resource: unknown): SenderLines[] {
    if (this.count === 0) return [];
    return [{ sender: senderOf(resource), bytes: this.bytes.finish(), lines: this.count }];
  }
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

/** Log records of a request as JSON lines. */
export function logLines(request: unknown): Read<SenderLines> {
  const read: Read<SenderLines> = { parts: [], rejected: 0, reason: '' };
  for (const group of groupsOf(request, 'resourceLogs')) {
    const lines = new LineWriter();
    for (const scope of objectsOf(group.scopeLogs)) {
      for (const record of itemsOf(scope.logRecords)) writeLog(record, scopeName(scope), lines);
    }
    read.parts.push(...lines.from(group.resource));
  }
  return read;
}

function writeLog(record: Unknown, scope: string, line: LineWriter): void {
  line.begin();
  line.time(record.timeUnixNano, record.observedTimeUnixNano);
  const level = levelOf(record);
  if (level !== undefined) line.add('level', level);
  const body = plainValue(record.body);
  const event = textOf(record.eventName);
  line.add('text', body === null ? event : asText(body));
  if (event !== '') line.add('event.name', event);
  const trace = identifierOf(record.traceId, 32);
  const span = identifierOf(record.spanId, 16);
  if (trace !== undefined) line.add('trace', trace);
  if (span !== undefined) line.add('span', span);
  if (scope !== '') line.add('scope.name', scope);
  line.end(record.attributes);
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

/** Spans of a request as JSON lines. */
export function spanLines(request: unknown): Read<SenderLines> {
  const read: Read<SenderLines> = { parts: [], rejected: 0, reason: '' };
  for (const group of groupsOf(request, 'resourceSpans')) {
    const lines = new LineWriter();
    for (const scope of objectsOf(group.scopeSpans)) {
      for (const span of itemsOf(scope.spans)) {
        const reason = writeSpan(span, scopeName(scope), lines);
        if (reason === undefined) continue;
        read.rejected++;
        read.reason ||= reason;
      }
    }
    read.parts.push(...lines.from(group.resource));
  }
  return read;
}

/** Writes a span; why not, where it can not be. */
function writeSpan(span: Unknown, scope: string, line: LineWriter): string | undefined {
  const name = textOf(span.name);
  const trace = identifierOf(span.traceId, 32);
  const id = identifierOf(span.spanId, 16);
  if (trace === undefined) return `Span "${name}" has no trace id of 16 bytes.`;
  if (id === undefined) return `Span "${name}" has no span id of 8 bytes.`;
  const start = nanosOf(span.startTimeUnixNano);
  const end = nanosOf(span.endTimeUnixNano);
  if (start === undefined || end === undefined)
    return `Span "${name}" has no start and end, or they are not ${MOMENTS_TEXT}.`;
  if (isBefore(end, start)) return `Span "${name}" ends before it starts.`;
  const status = isObject(span.status) ? span.status : {};
  const code = STATUS[numberOf(status.code) ?? 0] ?? 'unset';
  line.begin();
  line.time(span.startTimeUnixNano);
  if (code === 'error') line.add('level', 'error');
  line.add('text', name);
  line.add('trace', trace);
  line.add('span', id);
  const parent = identifierOf(span.parentSpanId, 16);
  if (parent !== undefined) line.add('parent', parent);
  line.add('kind', KINDS[numberOf(span.kind) ?? 0] ?? 'unset');
  line.add('duration', durationText(start, end));
  line.add('status', code);
  if (textOf(status.message) !== '') line.add('status.message', textOf(status.message));
  if (scope !== '') line.add('scope.name', scope);
  const events = objectsOf(span.events).map((event) => ({
    at: durationText(start, nanosOf(event.timeUnixNano) ?? start),
    name: textOf(event.name),
    ...Object.fromEntries(attributesOf(event.attributes)),
  }));
  if (events.length > 0) line.add('events', events);
  const links = objectsOf(span.links).map((link) => ({
    trace: identifierOf(link.traceId, 32) ?? '',
    span: identifierOf(link.spanId, 16) ?? '',
  }));
  if (links.length > 0) line.add('links', links);
  line.end(span.attributes);
  return undefined;
}

/** The groups of a request by resource; throws on what is no request. */
export function groupsOf(request: unknown, name: string): Unknown[] {
  if (!isObject(request)) throw new TypeError('The request is no object.');
  const groups = request[name];
  if (groups !== undefined && groups !== null && !Array.isArray(groups))
    throw new TypeError(`"${name}" is no list.`);
  return objectsOf(groups);
}
