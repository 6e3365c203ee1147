import { fieldName } from '../records/fields.js';
import { decodeLogfmt, type ShapeBook } from '../records/shape.js';
import { Cuts, Settler, type ParsedLine, type Reader } from './reader.js';

const isKey = (code: number): boolean =>
  (code >= 97 && code <= 122) ||
  (code >= 65 && code <= 90) ||
  (code >= 48 && code <= 57) ||
  code === 95 ||
  code === 46 ||
  code === 45 ||
  code === 64 ||
  code === 47;

/** Reads logfmt: `key=value key="quoted value"`, separated by spaces. A key without `=` is a flag and stays in the shape. */
export class LogfmtReader implements Reader {
  readonly format = 'logfmt';
  private readonly settler: Settler;

  constructor(book: ShapeBook) {
    this.settler = new Settler('logfmt', book, fieldName);
  }

  read(line: string): ParsedLine | undefined {
    const cuts = cutLogfmt(line);
    return cuts && this.settler.settle(line, cuts);
  }
}

/** The parts of a logfmt line, or undefined when it is none: it must start with `key=` and hold two pairs at least. */
function cutLogfmt(line: string): Cuts | undefined {
  const cuts = new Cuts();
  cuts.begin(line);
  let at = 0;
  while (at < line.length) {
    const code = line.charCodeAt(at);
    if (code === 32 || code === 9 || code === 13) {
      at++;
      continue;
    }
    const start = at;
    while (isKey(line.charCodeAt(at))) at++;
    if (at === start) return undefined;
    if (line.charCodeAt(at) !== 61) {
      if (at < line.length && line.charCodeAt(at) !== 32) return undefined;
      if (cuts.values.length === 0) return undefined;
      continue;
    }
    const name = line.slice(start, at++);
    if (line.charCodeAt(at) === 34) {
      const end = closingQuote(line, at + 1);
      if (end < 0) return undefined;
      const escaped = line.slice(at + 1, end).includes('\\');
      cuts.value(name, at + 1, end, 'logfmt', escaped ? decodeLogfmt : undefined);
      at = end + 1;
    } else {
      const end = endOfBare(line, at);
      cuts.value(name, at, end, 'none');
      at = end;
    }
  }
  if (cuts.values.length < 2) return undefined;
  cuts.end();
  return cuts;
}

function closingQuote(line: string, from: number): number {
  for (let at = from; at < line.length; at++) {
    const code = line.charCodeAt(at);
    if (code === 34) return at;
    if (code === 92) at++;
  }
  return -1;
}

function endOfBare(line: string, from: number): number {
  let at = from;
  for (; at < line.length; at++) {
    const code = line.charCodeAt(at);
    if (code === 32 || code === 9 || code === 13) break;
  }
  return at;
}
