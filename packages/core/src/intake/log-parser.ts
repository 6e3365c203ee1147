import { encodeUtf8 } from '../codec/bytes.js';
import type { FormatName, Shape, ShapeBook } from '../records/shape.js';
import type { FastJson } from './fast-json.js';
import { isMoment, MOMENTS_TEXT } from '../time/range.js';
import { FRAME_FIELDS, ownFrame } from './frames.js';
import { type CsvColumns, endsQuoted } from './csv.js';
import { type Detected, detectFormat, readerOf } from './detect.js';
import type { Head } from './head.js';
import { headsOf, PlainReader } from './plain.js';
import type { ParsedLine, Reader } from './reader.js';

/** A line longer than this is cut; the parts become records of their own. */
export const MAX_LINE_BYTES = 4 * 1024 * 1024;
const MAX_JOINED_LINES = 1000;
const MAX_JOINED_LENGTH = 512 * 1024;
/** Lines looked at before a source's format is settled. */
const DETECT_BYTES = 64 * 1024;
const DETECT_LINES = 80;
/** Lines looked at to learn what they open with. */
const LEARN_LINES = 400;

export type ProblemCode =
  'not-of-format' | 'invalid-utf8' | 'line-too-long' | 'no-time' | 'time-out-of-range' | 'no-record';

/** Something about the lines that their sender may want to know; each kind is counted, with the first line it befell. */
export interface Problem {
  code: ProblemCode;
  message: string;
  count: number;
  firstLine: number;
  /** The beginning of that line. */
  sample: string;
}

/** So much of a line is shown with its problem. */
const SAMPLE_LENGTH = 200;

const MESSAGES: Record<ProblemCode, (format: FormatName) => string> = {
  'not-of-format': (format) => `Not readable as ${format}; kept as plain text.`,
  'invalid-utf8': () => 'Not valid UTF-8; the bytes are kept as they came.',
  'line-too-long': () => 'Longer than 4 MiB; cut into several records.',
  'no-time': () => 'No time found; given the time of the record before, or of arrival.',
  'time-out-of-range': () =>
    `Its time is not ${MOMENTS_TEXT}; given the time of the record before, or of arrival.`,
  'no-record': () => 'Carries no record of a sender that is known; left out.',
};

/** A parsed record, before it has a place in the store. */
export interface ParsedRecord extends ParsedLine {
  /** Received bytes, where the parts do not give them back. */
  raw?: Uint8Array;
  size: number;
}

/** Takes a line that was read as bytes: what it holds stands in the reader. */
export type EmitFast = (shape: Shape, bytes: Uint8Array, from: number, to: number) => void;

interface Pending {
  text: string;
  lines: number;
  lineNumber: number;
  /** Bytes as received, kept when they are no valid UTF-8. */
  bytes?: Uint8Array[];
}

const strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });
const lenient = new TextDecoder('utf-8', { ignoreBOM: true });

/** A line that goes on with the record before it, in sources whose records do not open with a time. */
const mayContinue = (code: number): boolean =>
  Number.isNaN(code) ||
  code <= 32 ||
  code > 127 ||
  code === 67 ||
  code === 46 ||
  code === 93 ||
  code === 125 ||
  code === 41;
const CONTINUES = /^(?:\s|$|Caused by:|\.\.\. \d+ more|[})\]]+;?\s*$)/;

/**
 * Cuts a stream of bytes into records: finds lines, settles the format from the first of them, joins
 * lines that belong together, and reads each record. Lines put together again with `\n` are the input.
 */
export class LogParser {
  readonly problems = new Map<ProblemCode, Problem>();
  malformed = 0;
  format: FormatName | undefined;
  private reader: Reader | undefined;
  private fallback: PlainReader;
  private timed = false;
  /** True where lines begin with a space as a rule, so that one which does opens a record too. */
  private indented = false;
  /** What the lines of plain text open with. */
  heads: readonly Head[] = [];
  private rest: Uint8Array | undefined;
  private pending: Pending | undefined;
  /** The names of columns, until there is a record behind them. */
  private heading: Pending | undefined;
  private lineNumber = 0;
  private lastMicros = NaN;
  private readonly framedShapes = new Map<Shape, Shape>();

  constructor(
    private readonly book: ShapeBook,
    format: FormatName | 'auto',
    /** Moment of arrival, for records that tell no time. */
    private readonly arrival: number,
    private readonly emit: (record: ParsedRecord) => void,
    /** Reads lines as bytes where it can, and takes what it read. */
    private readonly fast?: { json: FastJson; isUtf8: (bytes: Uint8Array) => boolean; emit: EmitFast },
    /** Columns of the source, where they are known from before. */
    private readonly knownColumns?: CsvColumns,
    /** What its lines open with, where that is known from before. */
    private readonly knownHeads?: readonly Head[],
  ) {
    this.fallback = new PlainReader(book, knownHeads, arrival);
    if (format !== 'auto') this.format = format;
  }

  /** Lines read so far. */
  get lineCount(): number {
    return this.lineNumber;
  }

  /** Columns of the lines, where their format has such. */
  get columns(): CsvColumns | undefined {
    return this.reader?.columns;
  }

  /** Takes in one whole record by itself; `micros` is its time where it tells none. */
  record(bytes: Uint8Array, micros: number): void {
    this.lastMicros = micros;
    if (!this.reader) this.settle(lenient.decode(bytes));
    if (this.fast && this.format === 'json' && bytes[0] === 123 && this.fast.isUtf8(bytes)) {
      const shape = bytes.includes(10) ? undefined : this.fast.json.read(bytes, 0, bytes.length);
      if (shape) {
        this.lineNumber++;
        this.fast.emit(shape, bytes, 0, bytes.length);
        return;
      }
    }
    let text: string;
    let damaged = false;
    try {
      text = strict.decode(bytes);
    } catch {
      text = lenient.decode(bytes);
      damaged = true;
    }
    const lines = text.split('\n').length;
    // The names of columns came with the first record behind them.
    const end = text.indexOf('\n');
    if (!damaged && end > 0 && this.reader?.header?.(text.slice(0, end))) {
      this.heading = { text: text.slice(0, end), lines: 1, lineNumber: this.lineNumber + 1 };
      text = text.slice(end + 1);
    }
    this.pending = {
      text,
      lines: text.split('\n').length,
      lineNumber: this.lineNumber + 1,
      ...(damaged && { bytes: [bytes.slice()] }),
    };
    this.lineNumber += lines;
    this.flush();
  }

  /** Leaves out a line that should have carried a record. */
  refuse(line: string): void {
    this.lineNumber++;
    this.report('no-record', this.lineNumber, line);
  }

  /** Takes in the next bytes of the stream. */
  push(chunk: Uint8Array): void {
    let bytes = chunk;
    if (this.rest) {
      bytes = new Uint8Array(this.rest.length + chunk.length);
      bytes.set(this.rest);
      bytes.set(chunk, this.rest.length);
      this.rest = undefined;
    }
    const last = bytes.lastIndexOf(10);
    if (last < 0 || (!this.reader && bytes.length < DETECT_BYTES)) {
      this.hold(bytes);
      return;
    }
    this.lines(bytes.subarray(0, last));
    if (last + 1 < bytes.length) this.hold(bytes.slice(last + 1));
  }

  /** Ends the stream, or a part of it that no record reaches beyond: what is left becomes records too. */
  end(): void {
    const { rest } = this;
    this.rest = undefined;
    if (rest && rest.length > 0) this.lines(rest[rest.length - 1] === 10 ? rest.subarray(0, -1) : rest);
    this.flush();
    this.flushHeading(Number.isNaN(this.lastMicros) ? this.arrival : this.lastMicros);
  }

  /** Keeps an unfinished line for later, unless it has grown beyond all measure. */
  private hold(bytes: Uint8Array): void {
    if (bytes.length <= MAX_LINE_BYTES) {
      this.rest = bytes;
      return;
    }
    this.report('line-too-long', this.lineNumber + 1, lenient.decode(bytes.subarray(0, SAMPLE_LENGTH)));
    this.lines(bytes.subarray(0, MAX_LINE_BYTES));
    this.flush();
    this.hold(bytes.slice(MAX_LINE_BYTES));
  }

  /** Whole lines, without the end of the last one. */
  private lines(bytes: Uint8Array): void {
    if (!this.reader) this.settle(lenient.decode(bytes.subarray(0, DETECT_BYTES)));
    if (this.fast && this.format === 'json' && this.fast.isUtf8(bytes)) {
      this.linesAsBytes(bytes, this.fast);
      return;
    }
    let text: string;
    try {
      text = strict.decode(bytes);
    } catch {
      this.damaged(bytes);
      return;
    }
    let from = 0;
    for (;;) {
      const end = text.indexOf('\n', from);
      this.line(end < 0 ? text.slice(from) : text.slice(from, end));
      if (end < 0) return;
      from = end + 1;
    }
  }

  /** Lines of JSON, read as bytes where they are like lines that came before and the next one does not go on with them. */
  private linesAsBytes(bytes: Uint8Array, { json, emit }: NonNullable<LogParser['fast']>): void {
    for (let from = 0; from <= bytes.length;) {
      const found = bytes.indexOf(10, from);
      const to = found < 0 ? bytes.length : found;
      const next = to + 1;
      const alone = next < bytes.length && !mayContinue(bytes[next]!) && bytes[from] === 123;
      const shape = alone ? json.read(bytes, from, to) : undefined;
      if (shape) {
        this.flush();
        this.lineNumber++;
        this.lastMicros = json.micros;
        emit(shape, bytes, from, to);
      } else this.line(lenient.decode(bytes.subarray(from, to)));
      from = next;
    }
  }

  /** Lines of which at least one is no valid UTF-8, decoded one by one. */
  private damaged(bytes: Uint8Array): void {
    let from = 0;
    for (;;) {
      const found = bytes.indexOf(10, from);
      const line = bytes.subarray(from, found < 0 ? bytes.length : found);
      try {
        this.line(strict.decode(line));
      } catch {
        this.line(lenient.decode(line), line.slice());
      }
      if (found < 0) return;
      from = found + 1;
    }
  }

  private settle(text: string): void {
    const lines = text.slice(0, DETECT_BYTES).split('\n', LEARN_LINES);
    const detected: Detected = detectFormat(lines.slice(0, DETECT_LINES));
    this.format ??= detected.format;
    if (this.format === 'plain') this.heads = headsOf(lines, this.arrival, this.knownHeads);
    this.timed = detected.timed || this.heads.length > 0;
    this.indented = !this.timed && mostlyIndented(lines);
    const { knownColumns: columns, heads, arrival: now } = this;
    this.reader = readerOf(this.format, this.book, { columns, heads, now });
    if (this.heads.length > 0) this.fallback = new PlainReader(this.book, heads, now);
  }

  private line(line: string, damaged?: Uint8Array): void {
    this.lineNumber++;
    const { pending } = this;
    if (pending && this.belongs(line, pending)) {
      if (damaged && !pending.bytes) pending.bytes = [encodeUtf8(pending.text)];
      pending.bytes?.push(damaged ?? encodeUtf8(line));
      pending.text += `\n${line}`;
      pending.lines++;
      return;
    }
    this.flush();
    this.pending = {
      text: line,
      lines: 1,
      lineNumber: this.lineNumber,
      ...(damaged && { bytes: [damaged] }),
    };
  }

  private belongs(line: string, pending: Pending): boolean {
    if (pending.lines >= MAX_JOINED_LINES || pending.text.length + line.length > MAX_JOINED_LENGTH)
      return false;
    if (this.format === 'plain' && this.timed) return !this.fallback.opens(line);
    if (this.format === 'csv') return endsQuoted(pending.text);
    if (this.indented) return false;
    return mayContinue(line.charCodeAt(0)) && CONTINUES.test(line);
  }

  /** Reads the record whose lines are complete. */
  private flush(): void {
    const { pending } = this;
    if (!pending) return;
    this.pending = undefined;
    if (!pending.bytes && this.reader?.header?.(pending.text)) {
      this.flushHeading(Number.isNaN(this.lastMicros) ? this.arrival : this.lastMicros);
      this.heading = pending;
      return;
    }
    const { record, ofFormat } = this.read(pending);
    if (!ofFormat) this.report('not-of-format', pending.lineNumber, pending.text);
    if (pending.bytes) {
      this.report('invalid-utf8', pending.lineNumber, pending.text);
      record.raw = joinLines(pending.bytes);
      record.exact = false;
    } else if (!record.exact) record.raw ??= encodeUtf8(pending.text);
    if (!ofFormat || pending.bytes) this.malformed++;
    if (isMoment(record.micros)) this.lastMicros = record.micros;
    else {
      const told = !Number.isNaN(record.micros);
      // With another time, the line is not rebuilt from its parts.
      if (told) record.raw ??= encodeUtf8(pending.text);
      record.micros = Number.isNaN(this.lastMicros) ? this.arrival : this.lastMicros;
      this.report(told ? 'time-out-of-range' : 'no-time', pending.lineNumber, pending.text);
    }
    this.withHeading(record, pending.text);
    this.emit(this.withFrame(record));
  }

  /** Keeps the names of columns with the first record behind them: they are no record, but nothing that came is dropped. */
  private withHeading(record: ParsedRecord, text: string): void {
    const { heading } = this;
    if (!heading) return;
    this.heading = undefined;
    record.raw = joinLines([encodeUtf8(heading.text), record.raw ?? encodeUtf8(text)]);
    record.size += heading.text.length + 1;
  }

  /** Makes a record of the names of columns, where no record came behind them. */
  private flushHeading(micros: number): void {
    const { heading } = this;
    if (!heading) return;
    this.heading = undefined;
    const record = sized(this.fallback.read(heading.text), heading.text.length);
    record.micros = micros;
    if (!record.exact) record.raw = encodeUtf8(heading.text);
    this.emit(record);
  }

  /** Adds the place in the code that a stack trace names, unless its sender has said it. */
  private withFrame(record: ParsedRecord): ParsedRecord {
    if (!record.text.includes('\n')) return record;
    const frame = ownFrame(record.text);
    const shape = frame && this.framed(record.shape);
    if (!shape) return record;
    record.shape = shape;
    record.shadows = [...record.shadows, frame.file, frame.line, frame.function];
    return record;
  }

  /** The shape with fields for a frame beside it. */
  private framed(shape: Shape): Shape | undefined {
    let framed = this.framedShapes.get(shape);
    if (!framed) {
      const named = (name: string): boolean =>
        shape.shadows.includes(name) || shape.holes.some((hole) => hole.name === name);
      if (FRAME_FIELDS.some(named)) return undefined;
      const { format, literals, holes, shadows } = shape;
      framed = this.book.intern({ format, literals, holes, shadows: [...shadows, ...FRAME_FIELDS] });
      if (framed) this.framedShapes.set(shape, framed);
    }
    return framed;
  }

  private read(pending: Pending): { record: ParsedRecord; ofFormat: boolean } {
    const size = pending.text.length;
    if (this.reader && this.format !== 'plain') {
      const whole = pending.lines === 1 || this.format === 'csv';
      const end = whole ? -1 : pending.text.indexOf('\n');
      const head = end < 0 ? pending.text : pending.text.slice(0, end);
      const parsed = this.reader.read(head);
      if (parsed) {
        if (end < 0) this.fast?.json.learn(parsed);
        if (end >= 0) parsed.exact = false;
        return { record: sized(parsed, size), ofFormat: true };
      }
    }
    const parsed = this.fallback.read(pending.text);
    return { record: sized(parsed, size), ofFormat: this.format === 'plain' || pending.text.trim() === '' };
  }

  private report(code: ProblemCode, line: number, text: string): void {
    const known = this.problems.get(code);
    if (known) known.count++;
    else
      this.problems.set(code, {
        code,
        message: MESSAGES[code](this.format ?? 'plain'),
        count: 1,
        firstLine: line,
        sample: text.slice(0, SAMPLE_LENGTH).toWellFormed(),
      });
  }
}

/** Whether most lines begin with a space, and that is not because they are parts of JSON. */
function mostlyIndented(lines: readonly string[]): boolean {
  const filled = lines.filter((line) => line.trim() !== '');
  const indented = filled.filter((line) => /^\s/.test(line));
  const parts = indented.filter((line) => /^\s+["{}[\]]/.test(line));
  return indented.length > filled.length * 0.6 && parts.length < indented.length * 0.3;
}

/** Adds the size in place: a copy of each record would cost a tenth of the intake's time. */
const sized = (parsed: ParsedLine, size: number): ParsedRecord => Object.assign(parsed, { size });

function joinLines(lines: readonly Uint8Array[]): Uint8Array {
  const joined = new Uint8Array(lines.reduce((sum, line) => sum + line.length + 1, -1));
  let at = 0;
  lines.forEach((line, index) => {
    if (index > 0) joined[at++] = 10;
    joined.set(line, at);
    at += line.length;
  });
  return joined;
}
