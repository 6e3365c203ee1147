import { percent, shortCount } from '../format/numbers.js';
import { callText, failedShare, type MapGraph, TOLERANCE } from './graph.js';
import classes from './map.module.css';

/** The same as a table: callers down, called across. */
export function Matrix({
  graph: { nodes, calls },
  onChoose,
}: {
  graph: MapGraph;
  onChoose: (name: string) => void;
}) {
  const order = [...nodes].sort((a, b) => a.layer - b.layer || a.place - b.place).map(({ name }) => name);
  const callers = order.filter((name) => calls.some(({ from }) => from === name));
  const called = order.filter((name) => calls.some(({ to }) => to === name));
  const of = new Map(calls.map((call) => [`${call.from}\n${call.to}`, call]));
  return (
    <div className={classes.matrix}>
      <table data-testid="matrix">
        <thead>
          <tr>
            <th>calls of ↓ to →</th>
            {called.map((name) => (
              <th key={name}>
                <button type="button" className="word" onClick={() => onChoose(name)}>
                  {name}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {callers.map((from) => (
            <tr key={from}>
              <th>
                <button type="button" className="word" onClick={() => onChoose(from)}>
                  {from}
                </button>
              </th>
              {called.map((to) => {
                const call = of.get(`${from}\n${to}`);
                return (
                  <td
                    key={to}
                    data-failing={failedShare(call?.focus) > TOLERANCE}
                    title={call && callText(call)}
                  >
                    {call?.focus && (
                      <>
                        {shortCount(Math.round(call.focus.calls))}
                        <span>{percent(failedShare(call.focus))}</span>
                      </>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
