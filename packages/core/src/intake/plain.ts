import { isLevelWord, levelCode } from '../records/levels.js';
import type { Hole, Shape, ShapeBook } from '../records/shape.js';
import { commonLogTimeAt, isoAt, type Timestamp } from '../records/timestamps.js';
import { AccessReader } from './access.js';
import {
  type Head,
  type HeadKind,
  headLevel,
  type HeadRead,
  type HeadValue,
  learnHeads,
  readHead,
} from './head.js';
import type { ParsedLine, Reader } from './reader.js';

/** What may stand between time and level: separators, and one bracketed name such as a thread or process. */
const NAMED_HEAD = /^([\] \t:|-]*)\[([^\][]{1,60})\]([ \t:|-]*)([[(<]?)([A-Za-z]{3,11})(?=[\])>:|, \t]|$)/;
const BARE_HEAD = /^([\] \t:|-]*)()()([[(<]?)([A-Za-z]{3,11})(?=[\])>:|, \t]|$)/;

/** What stands between time and text when a level is part of it. */
function headOf(text: string): RegExpExecArray | undefined {
  for (const form of [NAMED_HEAD, BARE_HEAD]) {
    const head = form.exec(text);
    if (head && isLevelWord(head[5]!)) return head;
  }
  return undefined;
}

/** What parts the level from the text. */
const GAP = /^[\])>:|, \t-]*/;
/** A bracketed name behind the level, such as that of a component. */
const LOGGER = /^\[([^\][\s]{1,60})(\][:|-]? +)/;
const LEVEL_IN_TEXT =
  /(?:^|[^A-Za-z])(TRACE|DEBUG|INFO|NOTICE|WARN|WARNING|ERROR|SEVERE|CRITICAL|FATAL|PANIC)(?![A-Za-z])/;

const WHOLE: Hole[] = [{ name: 'text', quote: 'none' }];

/** The carriage return that a line may end with; it belongs to the envelope, not to the text. */
const lineEnd = (line: string): string => (line.endsWith('\r') ? '\r' : '');

/** Time at the start of a line, bare or in square brackets. */
function leadingTime(line: string): (Timestamp & { start: number }) | undefined {
  const start = line.startsWith('[') ? 1 : 0;
  const stamp = isoAt(line, start) ?? commonLogTimeAt(line, start);
  return stamp && { ...stamp, start };
}

/** Field that a column in front of the text becomes. */
const FIELDS: Record<Exclude<HeadKind, 'bracket'>, string> = {
  time: 'time',
  level: 'level',
  'letter level': 'level',
  mark: 'level',
  process: 'process.id',
  number: 'number',
  hex: 'thread.id',
  tag: 'logger',
  context: 'context',
};
/** A program with its process in front of the text, and before it a host, as syslog has them. */
const TAG = /^(?:([\w.-]{1,64}) )?([A-Za-z][\w./-]{0,63})\[(\d{1,10})\]: ?/;
/** Share of a source's lines whose time and level are found line by line, from which on no head is learned. */
const CLEAR = 0.9;

/**
 * The heads of a source's lines, learned from some of them; none where each line by itself tells its time and
 * level.
 *
 * @param known those learned from lines before, or said by a person, who may say that there are none
 */
export function headsOf(lines: readonly string[], now: number, known?: readonly Head[]): readonly Head[] {
  if (known?.length === 0) return known;
  const opening = lines.filter((line) => line.trim() !== '' && !/^\s/.test(line));
  // A source whose lines have become others is learned anew.
  const still = opening.filter((line) => known?.some((head) => readHead(line, head, now)));
  if (known && still.length * 2 >= opening.length) return known;
  const clear = opening.filter((line) => {
    const time = leadingTime(line);
    return time && headOf(line.slice(time.end, time.end + 100));
  });
  return clear.length >= CLEAR * opening.length ? [] : learnHeads(opening, now);
}

/**
 * Reads anything as text. The columns that the source's lines open with become fields, or, where none
 * were learned, a timestamp at the start, a level behind it, and a bracketed name between them; the rest is
 * the text. Further lines that belong to the record are part of the text.
 */
export class PlainReader implements Reader {
  readonly format = 'plain';
  private readonly shapes = new Map<string, Shape>();
  private readonly access: AccessReader;

  /**
   * @param heads of the source's lines
   * @param now microseconds since 1970; a time without its year or date is the last one before
   */
  constructor(
    private readonly book: ShapeBook,
    private readonly heads: readonly Head[] = [],
    private readonly now = NaN,
  ) {
    for (const end of ['', '\r']) this.shapeOf(['', end], WHOLE);
    this.access = new AccessReader(book);
  }

  /** True when the line begins as records do, and does not go on with the one before. */
  opens(line: string): boolean {
    return startsWithTime(line) || this.headOf(line) !== undefined || this.access.read(line) !== undefined;
  }

  read(line: string): ParsedLine {
    const read = this.headOf(line);
    const headed = read && this.headed(line, read);
    if (headed) return headed;
    if (this.heads.length > 0) {
      const accessed = this.access.read(line);
      if (accessed) return accessed;
    }
    const time = leadingTime(line);
    if (time) {
      const parsed = this.timed(line, time, headOf(line.slice(time.end, time.end + 100)));
      if (parsed) return parsed;
    }
    return this.bare(line);
  }

  private headOf(line: string): HeadRead | undefined {
    for (const head of this.heads) {
      const read = readHead(line, head, this.now);
      if (read) return read;
    }
    return undefined;
  }

  /** A line whose columns were found. */
  private headed(line: string, read: HeadRead): ParsedLine | undefined {
    const literals: string[] = [];
    const holes: Hole[] = [];
    const values: string[] = [];
    let from = 0;
    let micros = NaN;
    let level = 0;
    for (const value of read.values) {
      if (value.level !== undefined) level ||= headLevel(value);
      if (value.micros !== undefined) micros = value.micros;
      if (value.start === value.end) continue;
      literals.push(line.slice(from, value.start));
      const { kind, format } = value;
      const base = kind === 'bracket' ? bracketField(line, value, level !== 0) : FIELDS[kind];
      let name = base;
      for (let copy = 2; holes.some((hole) => hole.name === name); copy++) name = `${base}#${copy}`;
      holes.push({ name, quote: 'none', ...(format !== undefined && { format }) });
      values.push(format === undefined ? line.slice(value.start, value.end) : '');
      from = value.end;
    }
    const end = lineEnd(line);
    const textFrom = tagged(line, from, read.text, literals, holes, values);
    literals.push(textFrom.gap, end);
    holes.push(...WHOLE);
    values.push('');
    const shape = this.shapeOf(literals, holes);
    const text = line.slice(textFrom.at, line.length - end.length);
    return (
      shape && { shape, values, shadows: [], micros, level: level || levelInText(text), text, exact: true }
    );
  }

  private timed(
    line: string,
    time: Timestamp & { start: number },
    head: RegExpExecArray | undefined,
  ): ParsedLine | undefined {
    const literals = [line.slice(0, time.start)];
    const holes: Hole[] = [
      { name: 'time', quote: 'none', ...(time.format !== undefined && { format: time.format }) },
    ];
    const values = [time.format !== undefined ? '' : line.slice(time.start, time.end)];
    let level = 0;
    let textFrom: number;
    if (head) {
      const [whole, before, thread, between, bracket, word] = head;
      let literal = before!;
      if (thread !== '') {
        literals.push(`${literal}[`);
        holes.push({ name: 'thread', quote: 'none' });
        values.push(thread!);
        literal = `]${between}`;
      }
      literals.push(literal + bracket!);
      holes.push({ name: 'level', quote: 'none' });
      values.push(word!);
      level = levelCode(word!);
      textFrom = time.end + whole.length;
    } else {
      level = levelInText(line);
      textFrom = time.end;
    }
    let gap = GAP.exec(line.slice(textFrom, textFrom + 20))![0];
    const logger = head && LOGGER.exec(line.slice(textFrom + gap.length, textFrom + gap.length + 80));
    if (logger) {
      literals.push(`${gap}[`);
      holes.push({ name: 'logger', quote: 'none' });
      values.push(logger[1]!);
      textFrom += gap.length + logger[1]!.length + 1;
      gap = logger[2]!;
    }
    const end = lineEnd(line);
    const found = tagged(line, textFrom, textFrom + gap.length, literals, holes, values);
    literals.push(found.gap, end);
    holes.push(...WHOLE);
    values.push('');
    const shape = this.shapeOf(literals, holes);
    const text = line.slice(found.at, line.length - end.length);
    return shape && { shape, values, shadows: [], micros: time.micros, level, text, exact: true };
  }

  private bare(line: string): ParsedLine {
    const end = lineEnd(line);
    const literals: string[] = [];
    const holes: Hole[] = [];
    const values: string[] = [];
    const textFrom = tagged(line, 0, 0, literals, holes, values);
    const shape = this.shapeOf([...literals, textFrom.gap, end], [...holes, ...WHOLE])!;
    const text = line.slice(textFrom.at, line.length - end.length);
    return {
      shape,
      values: [...values, ''],
      shadows: [],
      micros: NaN,
      level: levelInText(line),
      text,
      exact: true,
    };
  }

  private shapeOf(literals: string[], holes: Hole[]): Shape | undefined {
    const key = `${literals.join('\u0000')}\u0001${holes.map((hole) => hole.name + (hole.format ?? '')).join('\u0000')}`;
    let shape = this.shapes.get(key);
    if (!shape) {
      shape = this.book.intern({ format: 'plain', literals, holes, shadows: [] });
      if (shape) this.shapes.set(key, shape);
    }
    return shape;
  }
}

/**
 * Cuts out the tag of a program in front of the text, where there is one.
 *
 * @param from where the last hole ended
 * @param text where the text would begin without a tag
 * @returns where the text begins, and what stands between the last hole and it
 */
function tagged(
  line: string,
  from: number,
  text: number,
  literals: string[],
  holes: Hole[],
  values: string[],
): { at: number; gap: string } {
  const tag = TAG.exec(line.slice(text, text + 160));
  if (!tag || holes.some(({ name }) => name === 'service' || name === 'process.id'))
    return { at: text, gap: line.slice(from, text) };
  const [whole, host, service, process] = tag as unknown as [string, string | undefined, string, string];
  let before = line.slice(from, text);
  const cut = (name: string, value: string, gap: string): void => {
    literals.push(before);
    holes.push({ name, quote: 'none' });
    values.push(value);
    before = gap;
  };
  if (host !== undefined) cut('host', host, ' ');
  cut('service', service, '[');
  cut('process.id', process, whole.slice(whole.lastIndexOf(']')));
  return { at: text + whole.length, gap: before };
}

/** What a bracketed column is called: by what is in it, and by which side of the level it stands on. */
function bracketField(line: string, { start, end, level }: HeadValue, behindLevel: boolean): string {
  if (level !== undefined) return level.length === end - start ? 'level' : 'logger';
  const inside = line.slice(start, end);
  if (/^\d+$/.test(inside)) return 'process.id';
  if (/\b(?:pid|tid|thread)\b/i.test(inside)) return 'thread';
  return behindLevel ? 'logger' : 'thread';
}

function levelInText(line: string): number {
  const match = LEVEL_IN_TEXT.exec(line.slice(0, 120));
  return match ? levelCode(match[1]!) : 0;
}

/** True when the line begins with a moment, so that it opens a record. */
export const startsWithTime = (line: string): boolean => leadingTime(line) !== undefined;
