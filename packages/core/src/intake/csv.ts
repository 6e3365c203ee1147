import { withoutGuard } from '../export/csv.js';
import { fieldName } from '../records/fields.js';
import type { ShapeBook } from '../records/shape.js';
import { Cuts, Settler, type ParsedLine, type Reader } from './reader.js';

const DELIMITERS = [',', ';', '\t', '|'];
const MAX_COLUMNS = 400;
/** A name of a column; a line with other names is no header. */
const NAME = /^[A-Za-z_@][\w .@/()%-]*$/;

const decodeCell =
  (quoted: boolean) =>
  (raw: string): string =>
    withoutGuard(quoted ? raw.replaceAll('""', '"') : raw);

/** What the columns of a source are: as its header named them, and what a person says that some of them are. */
export interface CsvColumns {
  delimiter: string;
  names: string[];
  /** Fields that columns stand for, such as `time` or `text`, by the name of the column. */
  as?: Record<string, string>;
}

interface Cell {
  from: number;
  to: number;
  quoted: boolean;
}

/**
 * Reads CSV as of RFC 4180, with commas, semicolons, tabs or bars. A line that names the columns, one of which
 * is a time, is the header; each later line is a record. Lines with another number of columns are not of the
 * format. Columns that are known from before need no header.
 */
export class CsvReader implements Reader {
  readonly format = 'csv';
  private readonly settler: Settler;
  private readonly cuts = new Cuts();

  /** @param columns those of the source, where they are known; a header of other names takes their place */
  constructor(
    book: ShapeBook,
    public columns?: CsvColumns,
  ) {
    this.settler = new Settler('csv', book, fieldName);
  }

  header(line: string): boolean {
    const as = this.columns?.as;
    const found = headerOf(line, as);
    if (!found) return false;
    this.columns = as ? { ...found, as } : found;
    return true;
  }

  read(line: string): ParsedLine | undefined {
    const { columns, cuts } = this;
    const cells = columns && cellsOf(line, columns.delimiter, 0);
    if (!cells || cells.length !== columns.names.length) return undefined;
    cuts.begin(line);
    cells.forEach(({ from, to, quoted }, column) => {
      const raw = line.slice(from, to);
      const changed = withoutGuard(raw) !== raw || (quoted && raw.includes('""'));
      const name = columns.names[column]!;
      const as = columns.as?.[name] ?? name;
      cuts.value(as, from, to, quoted ? 'csv' : 'none', changed ? decodeCell(quoted) : undefined);
    });
    cuts.end();
    return this.settler.settle(line, cuts);
  }
}

/** The columns that a line names; undefined for a line that is no header. */
function headerOf(line: string, as: CsvColumns['as'] = {}): CsvColumns | undefined {
  for (const delimiter of DELIMITERS) {
    const names = cellTexts(line, delimiter);
    if (!names || names.length < 2 || !names.every((name) => NAME.test(name))) continue;
    if (names.some((name) => fieldName(as[name] ?? name) === 'time')) return { delimiter, names };
  }
  return undefined;
}

/** The cells of a line whose columns nobody has named, by the delimiter that cuts it into most. */
export function guessColumns(line: string): CsvColumns | undefined {
  let best: CsvColumns | undefined;
  for (const delimiter of DELIMITERS) {
    const names = cellTexts(line, delimiter);
    if (names && names.length > Math.max(1, best?.names.length ?? 0)) best = { delimiter, names };
  }
  if (!best || best.names.every((name) => NAME.test(name))) return best;
  // The line is a record, not a header: its columns are numbered.
  return { ...best, names: best.names.map((_, at) => `column ${at + 1}`) };
}

function cellTexts(line: string, delimiter: string): string[] | undefined {
  return cellsOf(line, delimiter, line.startsWith('\ufeff') ? 1 : 0)?.map(({ from, to }) =>
    line.slice(from, to).trim(),
  );
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
