import { isLevelWord, levelCode } from '../records/levels.js';
import type { Hole, Shape, ShapeBook } from '../records/shape.js';
import { commonLogTimeAt, isoAt, type Timestamp } from '../records/timestamps.js';
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

/**
 * Reads anything as text. A timestamp at the start, a level behind it, and a bracketed name between them
 * become fields; the rest is the text. Further lines that belong to the record are part of the text.
 */
export class PlainReader implements Reader {
  readonly format = 'plain';
  private readonly shapes = new Map<string, Shape>();

  constructor(private readonly book: ShapeBook) {
    for (const end of ['', '\r']) this.shapeOf(['', end], WHOLE);
  }

  read(line: string): ParsedLine {
    const time = leadingTime(line);
    if (time) {
      const parsed = this.timed(line, time, headOf(line.slice(time.end, time.end + 100)));
      if (parsed) return parsed;
    }
    return this.bare(line);
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
    literals.push(gap, end);
    holes.push(...WHOLE);
    values.push('');
    const shape = this.shapeOf(literals, holes);
    const text = line.slice(textFrom + gap.length, line.length - end.length);
    return shape && { shape, values, shadows: [], micros: time.micros, level, text, exact: true };
  }

  private bare(line: string): ParsedLine {
    const end = lineEnd(line);
    const shape = this.shapeOf(['', end], WHOLE)!;
    const text = line.slice(0, line.length - end.length);
    return { shape, values: [''], shadows: [], micros: NaN, level: levelInText(line), text, exact: true };
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

function levelInText(line: string): number {
  const match = LEVEL_IN_TEXT.exec(line.slice(0, 120));
  return match ? levelCode(match[1]!) : 0;
}

/** True when the line begins with a moment, so that it opens a record. */
export const startsWithTime = (line: string): boolean => leadingTime(line) !== undefined;
