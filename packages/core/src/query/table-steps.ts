import { testOf } from './evaluate.js';
import { quantityOf } from '../records/quantity.js';
import type { Step, TableCondition } from './steps.js';
import type { Cell, Table } from './summary.js';

/** Thrown when a step speaks of a column that the table before it does not have. */
export class UnknownColumnError extends Error {
  readonly code = 'no-such-column';

  constructor(column: string, table: Table) {
    super(`There is no column "${column}"; there are ${table.columns.map(({ name }) => name).join(', ')}.`);
  }
}

/** Filters, sorts or cuts a table. */
export function applyStep(table: Table, step: Exclude<Step, { kind: 'summary' }>): Table {
  const { columns } = table;
  switch (step.kind) {
    case 'where': {
      const test = rowTest(step.condition, table);
      return { columns, rows: table.rows.filter(test) };
    }
    case 'sort': {
      const keys = step.keys.map(({ column, descending }) => ({ at: indexOf(table, column), descending }));
      const rows = [...table.rows].sort((a, b) => {
        for (const { at, descending } of keys) {
          const order = compareCells(a[at]!, b[at]!);
          if (order !== 0) return descending && a[at] !== null && b[at] !== null ? -order : order;
        }
        return 0;
      });
      return { columns, rows };
    }
    case 'top': {
      const first = columns.find(({ kind }) => kind === 'value')?.name ?? columns[0]!.name;
      const sorted = applyStep(table, {
        kind: 'sort',
        keys: [{ column: step.by ?? first, descending: true }],
      });
      const times = columns.findIndex(({ kind }) => kind === 'time');
      if (times < 0) return { columns, rows: sorted.rows.slice(0, step.count) };
      return topOverTime(table, sorted, step.count, step.by ?? first);
    }
  }
}

/** With steps of time, the groups that are largest in sum stay, with all their steps. */
function topOverTime(table: Table, sorted: Table, count: number, by: string): Table {
  const at = indexOf(table, by);
  const groups = table.columns.flatMap(({ kind }, index) => (kind === 'group' ? [index] : []));
  const keyOf = (row: readonly Cell[]): string => JSON.stringify(groups.map((index) => row[index]));
  const sums = new Map<string, number>();
  for (const row of sorted.rows)
    sums.set(keyOf(row), (sums.get(keyOf(row)) ?? 0) + (typeof row[at] === 'number' ? row[at] : 0));
  const kept = new Set(
    [...sums]
      .sort(([, a], [, b]) => b - a)
      .slice(0, count)
      .map(([key]) => key),
  );
  return { columns: table.columns, rows: table.rows.filter((row) => kept.has(keyOf(row))) };
}

function indexOf(table: Table, column: string): number {
  const at = table.columns.findIndex(({ name }) => name === column);
  if (at < 0) throw new UnknownColumnError(column, table);
  return at;
}

/** Numbers by size, texts by character, nothing last. */
function compareCells(a: Cell, b: Cell): number {
  if (a === null || b === null) return Number(a === null) - Number(b === null);
  if (typeof a === 'number' && typeof b === 'number') return a - b;
  return String(a) < String(b) ? -1 : String(a) > String(b) ? 1 : 0;
}

function rowTest(condition: TableCondition, table: Table): (row: readonly Cell[]) => boolean {
  switch (condition.kind) {
    case 'and':
    case 'or': {
      const tests = condition.terms.map((term) => rowTest(term, table));
      return condition.kind === 'and'
        ? (row) => tests.every((test) => test(row))
        : (row) => tests.some((test) => test(row));
    }
    case 'not': {
      const test = rowTest(condition.term, table);
      return (row) => !test(row);
    }
    case 'presence': {
      const at = indexOf(table, condition.column);
      return (row) => (row[at] !== null) === condition.present;
    }
    case 'in': {
      const at = indexOf(table, condition.column);
      const tests = condition.values.map((value) => cellTest('=', value));
      return (row) => tests.some((test) => test(row[at]!));
    }
    case 'compare': {
      const at = indexOf(table, condition.column);
      const test = cellTest(condition.operator === '!=' ? '=' : condition.operator, condition.value);
      return condition.operator === '!=' ? (row) => !test(row[at]!) : (row) => test(row[at]!);
    }
  }
}

/** Compares a cell: numbers with the quantity in base units, texts as fields are compared. */
function cellTest(operator: string, value: string): (cell: Cell) => boolean {
  const quantity = quantityOf(value);
  const text = testOf('', operator as '=', value);
  return (cell) => {
    if (cell === null) return false;
    if (typeof cell === 'string') return text(cell);
    if (!quantity) return false;
    switch (operator) {
      case '=':
        return cell === quantity.value;
      case '<':
        return cell < quantity.value;
      case '<=':
        return cell <= quantity.value;
      case '>':
        return cell > quantity.value;
      default:
        return cell >= quantity.value;
    }
  };
}
