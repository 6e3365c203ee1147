/** Programs for tables take cells that begin so for formulas, and run them. */
const FORMULA = /^[=+\-@\t\r]/;
/** A plain number may begin with a sign. */
const NUMBER = /^[+-]?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/;
const QUOTED = /[",\n\r]|^\s|\s$/;

/** A line of CSV as of RFC 4180. What a program for tables would take for a formula gets an apostrophe before it. */
export const csvLine = (cells: readonly string[]): string => `${cells.map(cellOf).join(',')}\r\n`;

function cellOf(cell: string): string {
  const safe = FORMULA.test(cell) && !NUMBER.test(cell) ? `'${cell}` : cell;
  return QUOTED.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}
