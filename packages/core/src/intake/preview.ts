import { LEVELS, type Level } from '../records/levels.js';
import { type FormatName, ShapeBook } from '../records/shape.js';
import { type KnownLines, readerOf } from './detect.js';

/** What a reader would make of a line. */
export interface Preview {
  line: string;
  /** False for a line that is not of the format; it would be kept as plain text. */
  read: boolean;
  /** Microseconds since 1970, where the line tells a time. */
  micros?: number;
  level: Level;
  text: string;
  fields: Record<string, string>;
}

/** Shows what lines would become in a format, without taking them in. */
export function previewOf(lines: readonly string[], format: FormatName, known: KnownLines = {}): Preview[] {
  const book = new ShapeBook();
  const [reader, plain] = [readerOf(format, book, known), readerOf('plain', book)];
  return lines.map((line) => {
    const [first = ''] = line.split('\n', 1);
    // Formats but plain text know one line at a time.
    const parsed = reader.read(format === 'plain' ? line : first);
    const { shape, values, shadows, micros, level, text } = parsed ?? plain.read(line)!;
    const fields: Record<string, string> = {};
    shape.holes.forEach(({ name, format: rebuilt }, at) => {
      if (name !== 'text' && rebuilt === undefined) fields[name] = values[at]!;
    });
    shape.shadows.forEach((name, at) => (fields[name] = shadows[at]!));
    return {
      line,
      read: parsed !== undefined,
      ...(!Number.isNaN(micros) && { micros }),
      level: LEVELS[level]!,
      text,
      fields,
    };
  });
}
