import type { OnsetGroupBody, OnsetsSearchAnswer } from '@flail/contract';
import { narrow } from '@flail/core/expression';
import { useNavigate, useSearchParams } from 'react-router';
import { carriedParameters, useViewState, writeState } from '../context/view-state.js';
import { dayTime, duration } from '../format/times.js';
import { plotOf, plotsText } from '../metrics/plots.js';
import { usePinning } from '../pins/usePinning.js';
import { GroupPlot } from './GroupPlot.js';
import { Reasons } from './Reasons.js';
import { groupName, onsetTime, ROLE_WORDS, sizeText, valueOf, withinText } from './sentences.js';
import classes from './onsets.module.css';

const cap = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

/** A group in full: its members, what speaks for and against it, and where it leads on. */
export function ChosenGroup({
  group,
  answer,
  index,
}: {
  group: OnsetGroupBody;
  answer: OnsetsSearchAnswer;
  index: number;
}) {
  const [state, change] = useViewState();
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  const pin = usePinning();
  const { members, onset, end, goesOn, service, kind, pattern } = group;
  const origin = answer.origins.find((one) => one.group === index);
  const go = (path: string, scope: string, more: Record<string, string> = {}): void => {
    const next = writeState(
      carriedParameters(parameters),
      scope === '' ? {} : { scope: narrow(state.scope, scope) },
    );
    for (const [name, value] of Object.entries(more)) next.set(name, value);
    void navigate(`${path}?${next.toString()}`, {
      state: {
        carried: `${groupName(group)}, from its onset at ${onsetTime(onset)}`,
        back: `${location.pathname}${location.search}`,
      },
    });
  };
  return (
    <>
      <h2>{groupName(group)}</h2>
      <p>
        {kind}: {valueOf(group)}, {sizeText(group)}. From {dayTime(onset)}, {withinText(group)}
        {goesOn ? ', and it goes on' : ` for ${duration(Date.parse(end) - Date.parse(onset))}`}.
      </p>
      <p>
        <button
          type="button"
          className="word"
          onClick={() =>
            change({
              focus: { from: Date.parse(onset), to: Math.max(Date.parse(end), Date.parse(onset) + 60_000) },
            })
          }
        >
          focus on it
        </button>
        {pattern !== undefined && (
          <button type="button" className="word" onClick={() => go('/logs', `pattern ${pattern}`)}>
            its lines
          </button>
        )}
        <button
          type="button"
          className="word"
          onClick={() => go('/metrics', '', { plots: plotsText([plotOf(group.source)]) })}
        >
          in Metrics
        </button>
        <button
          type="button"
          className="word"
          onClick={() => go('/metrics', '', { plots: plotsText([plotOf(group.source)]), side: 'with' })}
        >
          what moved with it
        </button>
        {service !== '' && (
          <button type="button" className="word" onClick={() => go('/patterns', `service = "${service}"`)}>
            patterns of {service}
          </button>
        )}
        {service !== '' && (
          <button type="button" className="word" onClick={() => go('/requests', `service = "${service}"`)}>
            requests through {service}
          </button>
        )}
        <button
          type="button"
          className="word"
          onClick={() =>
            pin({
              kind: 'window',
              title: `${groupName(group)} from ${onsetTime(onset)}`,
              seen: { kind, size: sizeText(group) },
            })
          }
        >
          pin
        </button>
      </p>
      {origin && (
        <ul className={classes.origin} aria-label={`For and against: ${ROLE_WORDS[origin.role]}`}>
          <li>{cap(ROLE_WORDS[origin.role])}.</li>
          <Reasons reasons={origin.reasons} />
        </ul>
      )}
      <GroupPlot source={group.source} name={groupName(group)} />
      {pattern === undefined && (
        <>
          <h2>{members.length === 1 ? 'One series' : `${members.length} series`}</h2>
          <table>
            <tbody>
              {members.map((member) => (
                <tr key={member.member}>
                  <td>{onsetTime(member.onset)}</td>
                  <td>{member.member}</td>
                  <td>{valueOf({ ...member, unit: group.unit })}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </>
  );
}
