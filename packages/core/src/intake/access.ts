import { levelOfStatus } from '../records/levels.js';
import type { Hole, Shape, ShapeBook } from '../records/shape.js';
import { commonLogTimeAt, isoAt } from '../records/timestamps.js';
import type { ParsedLine, Reader } from './reader.js';

const SHADOWS = ['method', 'path', 'status', 'bytes'];
/** `address identity user [time] "request" status bytes`, then in the combined format `"referrer" "agent"`, then anything. */
const LINE =
  /^(\S+) (\S+) (\S+) \[([^\]]{19,40})\] ("([^" ]*)(?: ((?:[^"\\]|\\.)*?))?(?: HTTP\/[\d.]+)?" (\d{3}|-) (\d+|-))(?: "((?:[^"\\]|\\.)*)" "((?:[^"\\]|\\.)*)")?(.*)$/s;

/**
 * Reads the common and the combined access log format. The text is the request line with its status and
 * size, as it stands in the line; method, path, status and bytes can be queried as fields.
 */
export class AccessReader implements Reader {
  readonly format = 'access';
  private readonly shapes = new Map<string, Shape>();

  constructor(private readonly book: ShapeBook) {}

  read(line: string): ParsedLine | undefined {
    const match = LINE.exec(line);
    if (!match) return undefined;
    const stamp = commonLogTimeAt(match[4]!, 0) ?? isoAt(match[4]!, 0);
    if (stamp?.format === undefined || stamp.end !== match[4]!.length) return undefined;
    const combined = match[10] !== undefined;
    const shape = this.shapeOf(stamp.format, combined, match[12]!);
    if (!shape) return undefined;
    const agent = combined ? [match[10]!, match[11]!] : [];
    return {
      shape,
      values: [match[1]!, match[2]!, match[3]!, '', '', ...agent],
      shadows: [match[6]!, match[7] ?? '', match[8]!, match[9]!],
      micros: stamp.micros,
      level: match[8] === '-' ? 0 : levelOfStatus(Number(match[8])),
      text: match[5]!,
      exact: true,
    };
  }

  private shapeOf(timeFormat: string, combined: boolean, tail: string): Shape | undefined {
    const key = `${timeFormat}\u0000${String(combined)}\u0000${tail}`;
    let shape = this.shapes.get(key);
    if (!shape) {
      const plain = (name: string): Hole => ({ name, quote: 'none' });
      const holes = [
        plain('client.address'),
        plain('identity'),
        plain('user'),
        { ...plain('time'), format: timeFormat },
        plain('text'),
      ];
      const literals = ['', ' ', ' ', ' [', '] '];
      if (combined) {
        holes.push(plain('referrer'), plain('user_agent'));
        literals.push(' "', '" "', `"${tail}`);
      } else literals.push(tail);
      shape = this.book.intern({ format: 'access', literals, holes, shadows: SHADOWS });
      if (shape) this.shapes.set(key, shape);
    }
    return shape;
  }
}
