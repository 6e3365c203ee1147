/**
 * Programs for tables take cells that begin so for formulas, and run them: also behind blanks, and with the
 * characters of full width. An apostrophe says that a cell is text; one that stands there already gets another before
 * it, so that reading takes off what writing put on.
 */
const FORMULA = /^'*(?:[\t\r]|\s*[=+\-@\uff1d\uff0b\uff0d\uff20])/;
/** A plain number may begin with a sign. */
const NUMBER = /^[+-]?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/;
const QUOTED = /[",\n\r]|^\s|\s$/;

/** A line of CSV as of RFC 4180. What a program for tables would take for a formula gets an apostrophe before it. */
export const csvLine = (cells: readonly string[]): string => `${cells.map(cellOf).join(',')}\r\n`;

/** A cell without the apostrophe that keeps it from being taken for a formula. */
export const withoutGuard = (cell: string): string =>
  cell.startsWith("'") && FORMULA.test(cell) ? cell.slice(1) : cell;

function cellOf(cell: string): string {
  const safe = FORMULA.test(cell) && !NUMBER.test(cell) ? `'${cell}` : cell;
  return QUOTED.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}
