import { Checkbox, Popover, TextInput } from '@mantine/core';
import {
  type ColumnDef,
  flexRender,
  getCoreRowModel,
  getExpandedRowModel,
  getFilteredRowModel,
  getSortedRowModel,
  type Row,
  useReactTable,
} from '@tanstack/react-table';
import { type ReactNode, useMemo, useState } from 'react';
import { useViewParameter } from '../context/view-state.js';
import { fullCount, plural } from '../format/numbers.js';
import { useRowKeys } from '../frame/keys.js';
import { chosenOf, columnsOf, namesOf, type RunColumn, type RunRow } from './columns.js';
import { numberFilter } from './number-filter.js';
import list from '../frame/list.module.css';
import classes from './runs.module.css';

/** Rows that are shown at first, and with each `more`. */
const PAGE = 50;

interface Props {
  rows: RunRow[];
  onOpen: (run: string) => void;
  /** Stands above the list, before what is chosen of its columns. */
  children: ReactNode;
}

/** The list of runs: its columns chosen, sorted and filtered, runs that others started beneath these. */
export function RunsTable({ rows, onOpen, children }: Props) {
  const [names, setNames] = useViewParameter('columns', '');
  const [sort, setSort] = useViewParameter('sort', '');
  const [narrowed, setNarrowed] = useViewParameter('narrowed', '');
  const [filtering, setFiltering] = useState(narrowed !== '');
  const [selected, setSelected] = useState(-1);
  const [shown, setShown] = useState(PAGE);
  const all = useMemo(() => columnsOf(rows.flatMap(withChildren).map(({ run }) => run)), [rows]);
  const chosen = useMemo(() => chosenOf(all, names), [all, names]);
  const filters = useMemo(() => [...new URLSearchParams(narrowed)], [narrowed]);
  const table = useReactTable({
    data: rows,
    columns: useMemo(() => chosen.map((column) => definitionOf(column)), [chosen]),
    state: useMemo(
      () => ({
        sorting: sort === '' ? [] : [{ id: sort.replace(/^-/, ''), desc: sort.startsWith('-') }],
        columnFilters: filters.map(([id, value]) => ({ id, value })),
        expanded: true as const,
      }),
      [sort, filters],
    ),
    // All of its state stands in the address: there is nothing to set back when the rows change.
    autoResetAll: false,
    getRowId: ({ run }) => run.id,
    getSubRows: ({ children }) => children,
    filterFromLeafRows: true,
    getCoreRowModel: getCoreRowModel(),
    getFilteredRowModel: getFilteredRowModel(),
    getSortedRowModel: getSortedRowModel(),
    getExpandedRowModel: getExpandedRowModel(),
  });
  const found = table.getRowModel().rows;
  useRowKeys(Math.min(found.length, shown), selected, setSelected, {
    Enter: (index) => onOpen(found[index]!.original.run.id),
  });
  const narrow = (id: string, text: string): void => {
    const next = new URLSearchParams(filters.filter(([own]) => own !== id));
    if (text !== '') next.set(id, text);
    setNarrowed(next.toString());
  };
  return (
    <>
      <div className={classes.tools}>
        {children}
        <span className={classes.columns}>
          {filters.length > 0 && (
            <>
              <span className="soft">{plural(found.length, 'run')} by the filters of columns</span>
              <button type="button" className="word" onClick={() => setNarrowed('')}>
                no filters
              </button>
            </>
          )}
          <button
            type="button"
            className="word"
            aria-pressed={filtering}
            onClick={() => setFiltering((before) => !before)}
          >
            filter columns
          </button>
          <ColumnChooser
            all={all}
            chosen={chosen}
            onChoose={(ids) => {
              setNames(namesOf(ids));
              setNarrowed(new URLSearchParams(filters.filter(([id]) => ids.includes(id))).toString());
            }}
          />
        </span>
      </div>
      <div className={list.scroller}>
        <table className={classes.table}>
          <thead>
            <tr>
              {table.getFlatHeaders().map(({ id, column }) => {
                const direction = column.getIsSorted();
                return (
                  <th
                    key={id}
                    aria-sort={direction === 'asc' ? 'ascending' : direction ? 'descending' : 'none'}
                  >
                    <button
                      type="button"
                      className={classes.sort}
                      onClick={() => setSort(direction === 'asc' ? `-${id}` : direction === 'desc' ? '' : id)}
                    >
                      {column.columnDef.header as string}
                      {direction === 'asc' ? ' ↑' : direction === 'desc' ? ' ↓' : ''}
                    </button>
                  </th>
                );
              })}
            </tr>
            {filtering && (
              <tr className={classes.filters}>
                {chosen.map((column) => (
                  <th key={column.id}>
                    <ColumnFilter
                      column={column}
                      value={filters.find(([id]) => id === column.id)?.[1] ?? ''}
                      onChange={(text) => narrow(column.id, text)}
                    />
                  </th>
                ))}
              </tr>
            )}
          </thead>
          <tbody>
            {found.slice(0, shown).map((row, index) => (
              <TableRow key={row.id} row={row} selected={index === selected} onOpen={onOpen} />
            ))}
          </tbody>
        </table>
        {found.length === 0 && <p className={classes.more}>No run is left by what is asked above.</p>}
        {found.length > shown && (
          <p className={classes.more}>
            The first {fullCount(shown)} of {fullCount(found.length)}.{' '}
            <button type="button" className="word" onClick={() => setShown(shown + PAGE)}>
              more
            </button>
          </p>
        )}
      </div>
    </>
  );
}

const withChildren = (row: RunRow): RunRow[] => [row, ...row.children.flatMap(withChildren)];

function definitionOf(column: RunColumn): ColumnDef<RunRow, string | number | undefined> {
  const { id, head, value, text, numbers } = column;
  return {
    id,
    header: head,
    accessorFn: value,
    sortUndefined: 'last',
    cell: ({ row }) => text(row.original),
    filterFn: ({ original }, _, asked: string) => {
      if (!numbers) return text(original).toLowerCase().includes(asked.toLowerCase());
      const own = value(original);
      const holds = numberFilter(asked);
      return holds === undefined || (typeof own === 'number' && holds(own));
    },
  };
}

interface FilterProps {
  column: RunColumn;
  value: string;
  onChange: (text: string) => void;
}

function ColumnFilter({ column: { head, numbers }, value, onChange }: FilterProps) {
  return (
    <TextInput
      size="xs"
      classNames={{ input: classes.filter! }}
      aria-label={`Filter by ${head}`}
      placeholder={numbers ? '> 30, 10 to 20' : 'contains'}
      value={value}
      error={numbers && value !== '' && numberFilter(value) === undefined}
      onChange={(event) => onChange(event.currentTarget.value)}
    />
  );
}

interface ChooserProps {
  all: readonly RunColumn[];
  chosen: readonly RunColumn[];
  onChoose: (ids: string[]) => void;
}

function ColumnChooser({ all, chosen, onChoose }: ChooserProps) {
  const own = chosen.map(({ id }) => id);
  return (
    <Popover position="bottom-end" withinPortal={false}>
      <Popover.Target>
        <button type="button" className="word">
          columns
        </button>
      </Popover.Target>
      <Popover.Dropdown>
        <Checkbox.Group
          label="Columns of the list"
          value={own}
          onChange={(ids) =>
            ids.length > 0 && onChoose(all.map(({ id }) => id).filter((id) => ids.includes(id)))
          }
        >
          <div className={classes.chooser}>
            {all.map(({ id, head }) => (
              <Checkbox key={id} size="xs" value={id} label={head} />
            ))}
          </div>
        </Checkbox.Group>
      </Popover.Dropdown>
    </Popover>
  );
}

interface RowProps {
  row: Row<RunRow>;
  selected: boolean;
  onOpen: (run: string) => void;
}

function TableRow({ row, selected, onOpen }: RowProps) {
  const { run, stuck } = row.original;
  return (
    <tr data-selected={selected} data-testid="run">
      {row.getVisibleCells().map(({ id, column, getContext }) => {
        const text = flexRender(column.columnDef.cell, getContext());
        return (
          <td key={id} className={WIDE.has(column.id) ? classes.parameters : undefined}>
            {column.id === 'state' ? (
              <span className={classes.state} data-state={stuck ? 'stuck' : run.state}>
                {text}
              </span>
            ) : column.id === 'job' ? (
              <span style={{ paddingInlineStart: 14 * row.depth }}>
                {run.parent && row.depth === 0 && <span className="soft">{run.parent.job} › </span>}
                <button type="button" className={classes.open} onClick={() => onOpen(run.id)}>
                  {text}
                </button>
              </span>
            ) : (
              text
            )}
          </td>
        );
      })}
    </tr>
  );
}

const WIDE = new Set(['parameters', 'error']);
