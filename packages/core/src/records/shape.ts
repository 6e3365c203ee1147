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

/**
 * Shapes, and names of fields, beyond these numbers are not kept: a sender that invents names would fill the memory,
 * and the store with columns. The fields of such lines are packed into one column.
 */
export const MAX_SHAPES = 20_000;
export const MAX_FIELD_NAMES = 1000;
/** Room for the shapes of lines whose fields are packed. */
const PACKED_ROOM = 2000;

/** All shapes of a data set, found again by their characters. */
export class ShapeBook {
  readonly shapes: Shape[] = [];
  private readonly byKey = new Map<string, Shape>();
  private readonly names = new Set<string>();

  constructor(shapes: Iterable<Shape> = []) {
    for (const shape of shapes) this.restore(shape);
  }

  restore(shape: Shape): void {
    this.shapes[shape.id] = shape;
    this.byKey.set(keyOf(shape), shape);
    for (const name of namesOf(shape)) this.names.add(name);
  }

  /** The shape with these parts, made if it is new; undefined when there is no room for it or for its names. */
  intern(parts: Omit<Shape, 'id'>): Shape | undefined {
    let fresh = 0;
    if (this.names.size + namesOf(parts).length > MAX_FIELD_NAMES)
      for (const name of namesOf(parts)) if (!this.names.has(name)) fresh++;
    const room = fresh === 0 || this.names.size + fresh <= MAX_FIELD_NAMES;
    return this.made(parts, room ? MAX_SHAPES : 0);
  }

  /** The same for the shape of lines whose fields are packed, of which there are few. */
  internPacked(parts: Omit<Shape, 'id'>): Shape | undefined {
    return this.made(parts, MAX_SHAPES + PACKED_ROOM);
  }

  private made(parts: Omit<Shape, 'id'>, limit: number): Shape | undefined {
    const key = keyOf(parts);
    const known = this.byKey.get(key);
    if (known) return known;
    if (this.shapes.length >= limit) return undefined;
    const shape = { ...parts, id: this.shapes.length };
    this.restore(shape);
    return shape;
  }
}

const namesOf = ({ holes, shadows }: Omit<Shape, 'id'>): string[] => [
  ...holes.map(({ name }) => name),
  ...shadows,
];

function keyOf(shape: Omit<Shape, 'id'>): string {
  return JSON.stringify([shape.format, shape.literals, shape.holes, shape.shadows]);
}
