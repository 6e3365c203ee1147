import { fieldName } from '../records/fields.js';
import type { ShapeBook } from '../records/shape.js';
import { Cuts, Settler, type ParsedLine, type Reader } from './reader.js';

const DELIMITERS = [',', ';', '\t', '|'];
const MAX_COLUMNS = 400;
/** A name of a column; a line with other names is no header. */
const NAME = /^[A-Za-z_@][\w .@/()%-]*$/;

const decodeQuoted = (raw: string): string => raw.replaceAll('""', '"');

interface Cell {
  from: number;
  to: number;
  quoted: boolean;
}

/**
 * Reads CSV as of RFC 4180, with commas, semicolons, tabs or bars. The first line names the columns, one of
 * which is a time; each later line is a record. Lines with another number of columns are not of the format.
 */
export class CsvReader implements Reader {
  readonly format = 'csv';
  private names: string[] | undefined;
  private delimiter = ',';
  private readonly settler: Settler;
  private readonly cuts = new Cuts();

  constructor(book: ShapeBook) {
    this.settler = new Settler('csv', book, fieldName);
  }

  /** Takes a line as the header, if it can be one and there was none yet. */
  header(line: string): boolean {
    if (this.names) return false;
    for (const delimiter of DELIMITERS) {
      const cells = cellsOf(line, delimiter, line.startsWith('\ufeff') ? 1 : 0);
      const names = cells?.map(({ from, to }) => line.slice(from, to).trim());
      if (!names || names.length < 2 || !names.every((name) => NAME.test(name))) continue;
      if (!names.some((name) => fieldName(name) === 'time')) continue;
      this.names = names;
      this.delimiter = delimiter;
      return true;
    }
    return false;
  }

  read(line: string): ParsedLine | undefined {
    const { names, cuts } = this;
    const cells = names && cellsOf(line, this.delimiter, 0);
    if (!cells || cells.length !== names.length) return undefined;
    cuts.begin(line);
    cells.forEach(({ from, to, quoted }, column) => {
      const escaped = quoted && line.slice(from, to).includes('""');
      cuts.value(names[column]!, from, to, quoted ? 'csv' : 'none', escaped ? decodeQuoted : undefined);
    });
    cuts.end();
    return this.settler.settle(line, cuts);
  }
}

/** Where the cells of a line stand, without their quotes; undefined where quotes do not fit. */
function cellsOf(line: string, delimiter: string, start: number): Cell[] | undefined {
  const end = line.endsWith('\r') ? line.length - 1 : line.length;
  const cells: Cell[] = [];
  let at = start;
  for (;;) {
    if (cells.length >= MAX_COLUMNS) return undefined;
    if (line[at] === '"') {
      const close = closingQuote(line, at + 1, end);
      if (close < 0) return undefined;
      cells.push({ from: at + 1, to: close, quoted: true });
      at = close + 1;
    } else {
      const next = line.indexOf(delimiter, at);
      const to = next < 0 || next > end ? end : next;
      if (line.slice(at, to).includes('"')) return undefined;
      cells.push({ from: at, to, quoted: false });
      at = to;
    }
    if (at >= end) return cells;
    if (line[at] !== delimiter) return undefined;
    at++;
  }
}

function closingQuote(line: string, from: number, end: number): number {
  for (let at = line.indexOf('"', from); at >= 0 && at < end; at = line.indexOf('"', at + 2))
    if (line[at + 1] !== '"') return at;
  return -1;
}

/** True for a text that ends within quotes, so that the next line goes on with it. */
export function endsQuoted(text: string): boolean {
  let quotes = 0;
  for (let at = text.indexOf('"'); at >= 0; at = text.indexOf('"', at + 1)) quotes++;
  return quotes % 2 === 1;
}
