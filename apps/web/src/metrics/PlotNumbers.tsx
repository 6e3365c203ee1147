import type { PlotAnswer } from '@flail/contract';
import { useState } from 'react';
import { dayTime } from '../format/times.js';
import { lineName } from './plots.js';
import classes from './metrics.module.css';

/** The numbers of a plot, for those who want to read them: thousands, so that they are there only when asked for. */
export function PlotNumbers({ answer }: { answer: PlotAnswer }) {
  const [open, setOpen] = useState(false);
  return (
    <details className={classes.numbers} onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>as a table</summary>
      {open && <Numbers answer={answer} />}
    </details>
  );
}

function Numbers({ answer: { lines, name, from, step, unit } }: { answer: PlotAnswer }) {
  const start = Date.parse(from);
  return (
    <table>
      <thead>
        <tr>
          <th>time</th>
          {lines.slice(0, 8).map(({ labels }) => (
            <th key={lineName(labels, name)}>
              {lineName(labels, name)} {unit}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {(lines[0]?.values ?? []).map((_, at) => (
          <tr key={at}>
            <td>{dayTime(start + at * step * 1000)}</td>
            {lines.slice(0, 8).map(({ labels, values }) => (
              <td key={lineName(labels, name)}>{values[at] ?? '–'}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
