import type { FieldDifferenceBody, ReadBody } from '@flail/contract';
import { narrow, quoteValue } from '@flail/core/expression';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useViewState } from '../context/view-state.js';
import { ValueRow } from '../paired/ValueRow.js';
import { LongWait } from '../states/LongWait.js';
import { Failure, Waiting } from '../states/States.js';
import { useLong } from '../states/useLong.js';
import { type Column, toggled } from './columns.js';
import { fieldFinding, quantityText } from './fields.js';
import { useFields } from './useFields.js';
import classes from './fields.module.css';

const VALUES_SHOWN = 6;

interface Props {
  body: ReadBody | undefined;
  columns: readonly Column[];
  onColumns: (columns: Column[]) => void;
}

/** Fields in the order of how much they differ between focus and baseline, with their values. */
export function FieldsPanel({ body, columns, onColumns }: Props) {
  const { fields, isSoFar, progress, isError, error, refetch, isPlaceholderData, isFetching } =
    useFields(body);
  const long = useLong(isFetching);
  const client = useQueryClient();
  const [open, setOpen] = useState<ReadonlySet<string>>(new Set());
  const [search, setSearch] = useState('');
  if (isError) return <Failure error={error} onRetry={() => void refetch()} />;
  if (!fields) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['fields'] })} />;
  const shown = fields.filter(({ field }) => field.toLowerCase().includes(search.toLowerCase()));
  const first = shown[0]?.field;
  return (
    <aside className={classes.panel} aria-label="Fields" aria-busy={isPlaceholderData}>
      <input
        className={classes.search}
        placeholder="find a field"
        aria-label="Find a field"
        value={search}
        onChange={(event) => setSearch(event.currentTarget.value)}
      />
      <p className={classes.hint}>
        {body?.baseline
          ? 'Those that differ most from the baseline first.'
          : 'Set a baseline to see what differs.'}
      </p>
      {isSoFar && long && <LongWait progress={progress} what="parts of the records" queryKey="fields" />}
      {shown.map((field) => (
        <FieldRow
          key={field.field}
          field={field}
          open={open.has(field.field) || (open.size === 0 && field.field === first)}
          onToggle={() => {
            const next = new Set(open.size === 0 && first !== undefined ? [first] : open);
            if (!next.delete(field.field)) next.add(field.field);
            setOpen(next);
          }}
          column={columns.some((column) => column.field === field.field)}
          onColumn={() => onColumns(toggled(columns, field.field))}
        />
      ))}
      {shown.length === 0 && <p className={classes.hint}>No field of this name in the scope.</p>}
    </aside>
  );
}

interface RowProps {
  field: FieldDifferenceBody;
  open: boolean;
  onToggle: () => void;
  column: boolean;
  onColumn: () => void;
}

function FieldRow({ field, open, onToggle, column, onColumn }: RowProps) {
  const [state, change] = useViewState();
  const { values, shift } = field;
  const ratio = field.baseline === 0 ? 0 : field.focus / field.baseline;
  const most = Math.max(1, ...values.map((value) => Math.max(value.focus, value.baseline * ratio)));
  const termOf = (value: string): string => `${field.field} = ${quoteValue(value)}`;
  return (
    <section className={classes.field} data-testid="field" data-field={field.field}>
      <div className={classes.head}>
        <button type="button" className={classes.name} aria-expanded={open} onClick={onToggle}>
          {field.field}
        </button>
        <button
          type="button"
          className={`word ${classes.columnWord}`}
          onClick={onColumn}
          aria-label={column ? `Take ${field.field} away as a column` : `Show ${field.field} as a column`}
        >
          {column ? 'no column' : 'column'}
        </button>
      </div>
      {open && (
        <>
          <p className={classes.finding}>{fieldFinding(field)}</p>
          {shift && <Shift shift={shift} />}
          {!field.identifier &&
            values
              .slice(0, VALUES_SHOWN)
              .map((value) => (
                <ValueRow
                  key={value.value}
                  value={value}
                  field={field.field}
                  ratio={ratio}
                  most={most}
                  onOnly={() => change({ scope: narrow(state.scope, termOf(value.value)) })}
                  onWithout={() => change({ scope: narrow(state.scope, termOf(value.value), true) })}
                />
              ))}
        </>
      )}
    </section>
  );
}

const WIDTH = 190;

/** Median and 95th percentile of both windows on one scale: the focus filled, the baseline an outline. */
function Shift({ shift }: { shift: NonNullable<FieldDifferenceBody['shift']> }) {
  const most = Math.max(shift.focus.p95, shift.baseline.p95, Number.MIN_VALUE);
  const x = (value: number): number => Math.max(1, (value / most) * WIDTH);
  const text = (value: number): string => quantityText(value, shift.unit);
  return (
    <div className={classes.shift}>
      <svg width={WIDTH + 2} height={22} aria-hidden>
        <rect
          x={0}
          y={3}
          width={x(shift.focus.p95)}
          height={6}
          className={classes.shiftFocus}
          opacity={0.4}
        />
        <rect x={0} y={3} width={x(shift.focus.median)} height={6} className={classes.shiftFocus} />
        <rect x={0.5} y={12.5} width={x(shift.baseline.p95)} height={6} className={classes.shiftBaseline} />
        <line
          x1={x(shift.baseline.median)}
          x2={x(shift.baseline.median)}
          y1={12}
          y2={19}
          className={classes.shiftBaseline}
        />
      </svg>
      <span>
        half under {text(shift.focus.median)}, was {text(shift.baseline.median)}; 95% under{' '}
        {text(shift.focus.p95)}, was {text(shift.baseline.p95)}
      </span>
    </div>
  );
}
