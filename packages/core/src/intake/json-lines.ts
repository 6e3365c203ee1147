import { fieldName } from '../records/fields.js';
import type { ShapeBook } from '../records/shape.js';
import { Cuts, Settler, type ParsedLine, type Reader } from './reader.js';

/** Objects nested deeper than this are kept as one value. */
const MAX_DEPTH = 8;
/** A line with more values than this is no log record but a document; it is kept as plain text. */
const MAX_VALUES = 400;

const BYTE_ORDER_MARK = 0xfeff;

const decodeJson = (raw: string): string => JSON.parse(`"${raw}"`) as string;

/**
 * Reads JSON lines (one object a line) in one pass over the characters. Nested objects become dotted
 * field names; arrays are one value. Spacing, key order and number spelling stay in the shape or value.
 */
export class JsonLinesReader implements Reader {
  readonly format = 'json';
  private readonly settler: Settler;
  private readonly scan = new JsonScan();

  constructor(book: ShapeBook) {
    this.settler = new Settler('json', book, fieldName);
  }

  read(line: string): ParsedLine | undefined {
    return this.scan.document(line) ? this.settler.settle(line, this.scan.cuts) : undefined;
  }
}

class JsonScan {
  readonly cuts = new Cuts();
  private line = '';
  private at = 0;

  /** Cuts a line up; false when it is no JSON object. */
  document(line: string): boolean {
    this.line = line;
    this.at = 0;
    this.cuts.begin(line);
    this.space();
    if (this.line.charCodeAt(this.at) !== 123 || !this.object('', 0)) return false;
    this.space();
    if (this.at !== this.line.length) return false;
    this.cuts.end();
    return true;
  }

  private space(): void {
    for (; ; this.at++) {
      const code = this.line.charCodeAt(this.at);
      if (code !== 32 && code !== 9 && code !== 13 && code !== BYTE_ORDER_MARK) return;
    }
  }

  private object(prefix: string, depth: number): boolean {
    this.at++;
    this.space();
    if (this.line.charCodeAt(this.at) === 125) {
      this.at++;
      return true;
    }
    for (;;) {
      this.space();
      if (this.line.charCodeAt(this.at) !== 34) return false;
      const start = this.at + 1;
      const escaped = this.string();
      if (escaped === undefined) return false;
      const raw = this.line.slice(start, this.at - 1);
      const key = escaped ? safely(() => decodeJson(raw)) : raw;
      if (key === undefined) return false;
      this.space();
      if (this.line.charCodeAt(this.at) !== 58) return false;
      this.at++;
      this.space();
      if (!this.member(prefix + key, depth)) return false;
      this.space();
      const next = this.line.charCodeAt(this.at++);
      if (next === 125) return true;
      if (next !== 44) return false;
    }
  }

  private member(name: string, depth: number): boolean {
    if (this.cuts.values.length > MAX_VALUES) return false;
    const start = this.at;
    const code = this.line.charCodeAt(start);
    if (code === 34) {
      const escaped = this.string();
      if (escaped === undefined) return false;
      if (!escaped) this.cuts.value(name, start + 1, this.at - 1, 'json');
      else if (
        safely(() => (this.cuts.value(name, start + 1, this.at - 1, 'json', decodeJson), true)) === undefined
      )
        return false;
      return true;
    }
    if (code === 123 && depth < MAX_DEPTH) return this.object(`${name}.`, depth + 1);
    if (code === 123 || code === 91) {
      if (!this.balanced()) return false;
      if (safely(() => JSON.parse(this.line.slice(start, this.at)) as unknown) === undefined) return false;
    } else if (!this.bare()) return false;
    this.cuts.value(name, start, this.at, 'none');
    return true;
  }

  /** Moves behind the string at `at`; true when it holds escapes, undefined when it does not end or holds control characters. */
  private string(): boolean | undefined {
    let escaped = false;
    for (let at = this.at + 1; at < this.line.length; at++) {
      const code = this.line.charCodeAt(at);
      if (code === 34) {
        this.at = at + 1;
        return escaped;
      }
      if (code === 92) {
        escaped = true;
        at++;
      } else if (code < 32) return undefined;
    }
    return undefined;
  }

  /** Moves behind the array or object at `at`. */
  private balanced(): boolean {
    let open = 0;
    while (this.at < this.line.length) {
      const code = this.line.charCodeAt(this.at);
      if (code === 34) {
        if (this.string() === undefined) return false;
        continue;
      }
      this.at++;
      if (code === 123 || code === 91) open++;
      else if ((code === 125 || code === 93) && --open === 0) return true;
    }
    return false;
  }

  /** Moves behind a number, `true`, `false` or `null`. */
  private bare(): boolean {
    const start = this.at;
    for (; this.at < this.line.length; this.at++) {
      const code = this.line.charCodeAt(this.at);
      if (code === 44 || code === 125 || code === 32 || code === 9 || code === 13) break;
    }
    return /^(?:-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?|true|false|null)$/.test(
      this.line.slice(start, this.at),
    );
  }
}

function safely<T>(run: () => T): T | undefined {
  try {
    return run();
  } catch {
    return undefined;
  }
}
