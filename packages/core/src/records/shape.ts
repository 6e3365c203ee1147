import { formatTimestamp } from './timestamps.js';

/** How a value is written in its line. */
export type Quote = 'none' | 'json' | 'logfmt' | 'csv';
export const FORMATS = ['json', 'logfmt', 'access', 'syslog', 'csv', 'plain'] as const;
export type FormatName = (typeof FORMATS)[number];

/** A place in the line where a value stands. */
export interface Hole {
  /** Field name; `time` and `text` are special. */
  name: string;
  quote: Quote;
  /** Only for `time`: the key with which the characters are rebuilt from the record's time. */
  format?: string;
}

/**
 * The envelope of a line: everything but its values. `literals[0] value literals[1] value …` gives the
 * line back, character for character. Lines of one sender mostly share a handful of shapes.
 */
export interface Shape {
  id: number;
  format: FormatName;
  literals: string[];
  holes: Hole[];
  /** Fields read out of the text, stored beside it for querying; they take no part in the rebuilding. */
  shadows: string[];
}

/** True for a hole whose value is kept in a column, and not rebuilt from the record's time or text. */
export const isStored = (hole: Hole): boolean => hole.name !== 'text' && hole.format === undefined;

/** The characters of a value as they stand in the line. */
export function encodeValue(value: string, quote: Quote): string {
  if (quote === 'none') return value;
  if (quote === 'json') return JSON.stringify(value).slice(1, -1);
  if (quote === 'csv') return value.replaceAll('"', '""');
  return value.replace(/[\\"]/g, '\\$&').replaceAll('\n', '\\n').replaceAll('\t', '\\t');
}

/** The value that an escaped logfmt string stands for. */
export function decodeLogfmt(raw: string): string {
  return raw.replace(/\\(.)/g, (_, character: string) => {
    if (character === 'n') return '\n';
    return character === 't' ? '\t' : character;
  });
}

/** Rebuilds a line from its shape, its time in microseconds, its text, and the values of the remaining holes. */
export function rebuildLine(
  shape: Shape,
  micros: number,
  text: string,
  valueOf: (hole: number) => string,
): string {
  let line = shape.literals[0]!;
  shape.holes.forEach((hole, index) => {
    if (hole.format !== undefined) line += formatTimestamp(micros, hole.format);
    else line += encodeValue(hole.name === 'text' ? text : valueOf(index), hole.quote);
    line += shape.literals[index + 1]!;
  });
  return line;
}

/** Shapes beyond this number are not kept: a sender that invents keys would fill the memory. Such lines are kept as plain text. */
export const MAX_SHAPES = 20_000;

/** All shapes of a data set, found again by their characters. */
export class ShapeBook {
  readonly shapes: Shape[] = [];
  private readonly byKey = new Map<string, Shape>();

  constructor(shapes: Iterable<Shape> = []) {
    for (const shape of shapes) this.restore(shape);
  }

  restore(shape: Shape): void {
    this.shapes[shape.id] = shape;
    this.byKey.set(keyOf(shape), shape);
  }

  /** The shape with these parts, made if it is new; undefined when the book is full. */
  intern(parts: Omit<Shape, 'id'>): Shape | undefined {
    const key = keyOf(parts);
    const known = this.byKey.get(key);
    if (known) return known;
    if (this.shapes.length >= MAX_SHAPES) return undefined;
    const shape = { ...parts, id: this.shapes.length };
    this.restore(shape);
    return shape;
  }
}

function keyOf(shape: Omit<Shape, 'id'>): string {
  return JSON.stringify([shape.format, shape.literals, shape.holes, shape.shadows]);
}
