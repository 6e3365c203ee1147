import type { ReadBody, SummaryAnswer } from '@flail/contract';
import { checkExpression } from '@flail/core/expression';
import { csvLine } from '@flail/core/table';
import { Autocomplete } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Chart } from '../charts/Chart.js';
import { CHART_KINDS, type ChartKind, seriesOf } from '../charts/options.js';
import { useSummary } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';
import { saveText } from '../export/save.js';
import { byteCount, fullCount, plural } from '../format/numbers.js';
import { dayTime } from '../format/times.js';
import { valueText } from '../format/values.js';
import { Choice } from '../frame/Choice.js';
import { Failure, Message, MissingNote, Waiting } from '../states/States.js';
import { presetSteps, stepFor, withSteps } from './steps.js';
import list from '../frame/list.module.css';
import classes from './logs.module.css';

/** What an expression with steps makes of the records: a table, or a chart of it. */
export function SummaryView({ body, show }: { body: ReadBody; show: 'table' | 'chart' }) {
  const [state] = useViewState();
  const client = useQueryClient();
  const presets = presetSteps(stepFor(state.focus!));
  const [steps, setSteps] = useViewParameter('then', presets[0]!.steps);
  const [kind, setKind] = useViewParameter('kind', 'bar');
  const [draft, setDraft] = useState<string>();
  const typed = draft ?? steps;
  const expression = withSteps(state.scope, typed);
  const problem = checkExpression(expression, true);
  const summary = useSummary(body, withSteps(state.scope, steps));
  const submit = (value: string): void => {
    if (checkExpression(withSteps(state.scope, value), true)) return;
    setSteps(value);
    setDraft(undefined);
  };
  const data = summary.data && seriesOf(summary.data, state.focus!.from - (state.baseline?.from ?? 0));
  return (
    <div className={classes.summary}>
      <form
        className={classes.steps}
        onSubmit={(event) => {
          event.preventDefault();
          submit(typed);
        }}
      >
        <span className="soft">then</span>
        <Autocomplete
          size="xs"
          className={classes.stepsInput}
          aria-label="Steps"
          classNames={{ input: 'mono' }}
          data={presets.map((preset) => preset.steps)}
          filter={({ options }) => options}
          renderOption={({ option }) => (
            <span>
              <code>{option.value}</code>{' '}
              <span className="soft">{presets.find((preset) => preset.steps === option.value)?.label}</span>
            </span>
          )}
          value={typed}
          onChange={setDraft}
          onOptionSubmit={submit}
          error={
            problem &&
            `At character ${Math.max(1, problem.from - state.scope.length - 5)}: ${problem.message}`
          }
        />
        {show === 'chart' && (
          <Choice aria-label="Kind of chart" data={[...CHART_KINDS]} value={kind} onChange={setKind} />
        )}
      </form>
      {summary.isError ? (
        <Failure error={summary.error} onRetry={() => void summary.refetch()} />
      ) : !summary.data ? (
        <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['summary'] })} />
      ) : (
        <div className={classes.answer} data-stale={summary.isPlaceholderData}>
          <p className={list.finding} data-testid="finding">
            {summaryFinding(summary.data)}
          </p>
          <MissingNote missing={summary.data.missing} />
          {show === 'chart' && data && (
            <>
              <Chart data={data} kind={kind as ChartKind} height={330} label={steps} />
              {data.more > 0 && (
                <p className="soft">{plural(data.more, 'smaller group')} not drawn; see the table.</p>
              )}
            </>
          )}
          {show === 'chart' && !data && (
            <Message title="Nothing to draw over time">
              <p>
                These steps make no series. Add <code>every {stepFor(state.focus!)}</code>, or read them as a
                table.
              </p>
            </Message>
          )}
          {show === 'table' && <SummaryTable answer={summary.data} name={steps} />}
          <How answer={summary.data} />
        </div>
      )}
    </div>
  );
}

/** The finding above a summary: the largest group, and its share. */
export function summaryFinding({ columns, rows, matched, left = 0 }: SummaryAnswer): string {
  const groups = columns.flatMap(({ kind }, at) => (kind === 'group' ? [at] : []));
  const count = columns.findIndex(({ name }) => name === 'count');
  const all = `${plural(matched, 'record')} in ${plural(rows.length, 'row')}${left > 0 ? `, ${fullCount(left)} of them in groups too many to list` : ''}.`;
  if (groups.length === 0 || count < 0 || rows.length === 0 || matched === 0) return all;
  const sums = new Map<string, number>();
  for (const row of rows) {
    const name = groups.map((at) => (row[at] === null ? 'none' : String(row[at]))).join(', ');
    sums.set(name, (sums.get(name) ?? 0) + Number(row[count] ?? 0));
  }
  const [most] = [...sums].sort(([, a], [, b]) => b - a);
  return `${all} Most are of ${most![0]}: ${Math.round((100 * most![1]) / matched)}%.`;
}

const ROWS_SHOWN = 500;

function SummaryTable({ answer, name }: { answer: SummaryAnswer; name: string }) {
  const { columns, rows, cut } = answer;
  const cell = (value: string | number | null, at: number): string => {
    const { kind, unit } = columns[at]!;
    if (value === null) return kind === 'group' ? 'none' : '–';
    if (kind === 'time') return dayTime(String(value));
    return typeof value === 'number' ? valueText(value, unit) : value;
  };
  const save = (): void => {
    const lines = [
      columns.map((column) => column.name),
      ...rows.map((row) => row.map((one) => (one === null ? '' : String(one)))),
    ];
    saveText(`${name}.csv`, lines.map(csvLine).join(''), 'text/csv');
  };
  return (
    <div className={classes.tableScroller}>
      <table className={classes.table} data-testid="summary-table">
        <thead>
          <tr>
            {columns.map((column) => (
              <th key={column.name} data-kind={column.kind}>
                {column.name}
                {column.error !== undefined && (
                  <span title="An estimate; this is how far off it may be">
                    {' '}
                    ±{Math.round(column.error * 100)}%
                  </span>
                )}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, ROWS_SHOWN).map((row, index) => (
            <tr key={index}>
              {row.map((value, at) => (
                <td key={at} data-kind={columns[at]!.kind} title={value === null ? 'none' : String(value)}>
                  {cell(value, at)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="soft">
        {rows.length > ROWS_SHOWN && `The first ${ROWS_SHOWN} of ${fullCount(cut ?? rows.length)} rows. `}
        <button type="button" className="word" onClick={save}>
          save as CSV
        </button>
      </p>
    </div>
  );
}

/** How it was answered: what had to be read, and how long it took. */
function How({ answer: { how } }: { answer: SummaryAnswer }) {
  return (
    <details className={classes.how}>
      <summary>how this was answered</summary>
      {plural(how.segments, 'segment')} looked at, {fullCount(how.skipped)} left out by their time;{' '}
      {plural(how.blocks, 'block')} read ({byteCount(how.bytes)}); the filter names{' '}
      {plural(how.patterns, 'pattern')}; {Math.round(how.milliseconds)} ms.
    </details>
  );
}
