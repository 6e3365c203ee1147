import type { OnsetGroupBody, OnsetsSearchAnswer, ReadBody } from '@flail/contract';
import { narrow } from '@flail/core/expression';
import { useElementSize } from '@mantine/hooks';
import { scaleTime } from 'd3-scale';
import { useNavigate, useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import { readBody } from '../api/queries.js';
import { useTold } from '../api/useTold.js';
import {
  carriedParameters,
  type Span,
  useViewParameter,
  useViewState,
  writeState,
} from '../context/view-state.js';
import { dayTime, duration } from '../format/times.js';
import { useKeys, useRowKeys } from '../frame/keys.js';
import { InvestigateLink } from '../cases/InvestigateLink.js';
import { usePinning } from '../pins/usePinning.js';
import { LongWait } from '../states/LongWait.js';
import { Failure, Message } from '../states/States.js';
import { plotOf, plotsText } from '../metrics/plots.js';
import { GroupPlot } from './GroupPlot.js';
import { GLYPHS, groupName, onsetsFinding, onsetTime, sizeText, valueOf, withinText } from './sentences.js';
import list from '../frame/list.module.css';
import classes from './onsets.module.css';

/** What moved, in the order in which it began. */
export function OnsetsView() {
  const [state] = useViewState();
  const body = readBody(state);
  if (!body || !state.focus)
    return (
      <Message title="What moved first">
        <p>
          Draw the bad time on the timeband above, or type it there. All series are looked through for what
          left its normal range in it, and put in the order in which they began.
        </p>
      </Message>
    );
  return <Onsets body={body} focus={state.focus} />;
}

function Onsets({ body, focus }: { body: ReadBody; focus: Span }) {
  const [chosenText, setChosen] = useViewParameter('row', '');
  const onsets = useTold(['onsets', body], (told, signal) => api.onsets(body, told, signal));
  const groups = onsets.data?.groups ?? [];
  const chosen = chosenText === '' ? -1 : Number(chosenText);
  useRowKeys(groups.length, chosen, (index) => setChosen(String(index)), {});
  useKeys({ Escape: () => setChosen('') });
  if (onsets.isError) return <Failure error={onsets.error} onRetry={() => void onsets.refetch()} />;
  if (!onsets.data)
    return (
      <div className={classes.looking}>
        <p>Looking through all series for what left its normal range, eight days of each.</p>
        <LongWait progress={onsets.progress} what="series" queryKey="onsets" />
      </div>
    );
  const answer = onsets.data;
  const group = groups[chosen];
  return (
    <section className={classes.view} aria-label="Onsets">
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {onsetsFinding(answer)}
        </p>
        {groups.length > 0 && (
          <span className={list.onward}>
            <InvestigateLink />
          </span>
        )}
      </div>
      {groups.length === 0 ? (
        <Message title="A quiet time">
          <p>Habitual peaks, what flaps regularly and single blips are no news and do not stand here.</p>
        </Message>
      ) : (
        <div className={classes.two}>
          <Ladder
            answer={answer}
            focus={focus}
            chosen={chosen}
            onChoose={(index) => setChosen(index === chosen ? '' : String(index))}
          />
          <aside className={classes.panel} aria-label="Beside the ladder" data-testid="origins" tabIndex={0}>
            {group ? (
              <Chosen group={group} answer={answer} index={chosen} />
            ) : (
              <Origins answer={answer} onChoose={setChosen} />
            )}
          </aside>
        </div>
      )}
    </section>
  );
}

const ROW = 24;
const HEAD = 34;
const NAME = 330;
const SIZE = 92;

interface LadderProps {
  answer: OnsetsSearchAnswer;
  focus: Span;
  chosen: number;
  onChoose: (index: number) => void;
}

/** One row for each group, by the moment it began; a bar from onset to end, as thick as it is large; changes as hairlines. */
function Ladder({ answer: { groups, changes, depends }, focus, chosen, onChoose }: LadderProps) {
  const { ref, width } = useElementSize();
  // A slow climb may have begun hours before; the rest must not become small for that.
  const sudden = groups.filter(({ limitIn }) => limitIn === undefined);
  const earliest = Math.min(focus.from, ...sudden.map(({ onset }) => Date.parse(onset)));
  const x = scaleTime([earliest, focus.to], [NAME, Math.max(NAME + 100, width - SIZE)]).clamp(true);
  const most = Math.max(...groups.map(({ spreads }) => Math.log1p(spreads)));
  const y = (index: number): number => HEAD + index * ROW;
  const tall = HEAD + groups.length * ROW + 6;
  const shown = changes.filter(({ time }) => Date.parse(time) >= earliest);
  return (
    <div className={classes.ladder}>
      <div ref={ref}>
        <svg width={width} height={tall} role="group" aria-label="The ladder of onsets">
          {x.ticks(6).map((tick) => (
            <g key={tick.getTime()}>
              <line x1={x(tick)} x2={x(tick)} y1={HEAD - 4} y2={tall} className={classes.grid} />
              <text x={x(tick)} y={12} textAnchor="middle" className={classes.tick}>
                {onsetTime(tick.toISOString())}
              </text>
            </g>
          ))}
          {shown.map(({ id, time, title, service }) => (
            <g key={id} className={classes.change}>
              <line x1={x(Date.parse(time))} x2={x(Date.parse(time))} y1={HEAD - 12} y2={tall} />
              <path d={`M${x(Date.parse(time))},${HEAD - 12}l7,3l-7,3z`} />
              <title>{`${onsetTime(time)} ${service}: ${title}`}</title>
            </g>
          ))}
          {depends.map(([caller, called]) => {
            // From cause to effect: whoever is called pulls whoever calls.
            const [from, to] = [groups[called]!, groups[caller]!];
            if (Date.parse(from.onset) > Date.parse(to.onset)) return null;
            const [x1, x2] = [x(Date.parse(from.onset)), x(Date.parse(to.onset))];
            const lit = chosen < 0 || chosen === caller || chosen === called;
            return (
              <path
                key={`${caller} ${called}`}
                d={`M${x1},${y(called) + ROW / 2}C${x1 - 26},${y(called) + ROW / 2} ${x2 - 26},${y(caller) + ROW / 2} ${x2},${y(caller) + ROW / 2}`}
                className={classes.depends}
                data-lit={lit && chosen >= 0}
              />
            );
          })}
          {groups.map((group, index) => {
            const thick = 3 + 11 * (Math.log1p(group.spreads) / most);
            const [from, to] = [x(Date.parse(group.onset)), x(Date.parse(group.end))];
            return (
              <g
                key={`${groupName(group)} ${group.side}`}
                className={classes.row}
                data-chosen={index === chosen}
                data-kind={group.kind}
                data-testid="onset"
                role="button"
                tabIndex={0}
                aria-label={`${onsetTime(group.onset)} ${groupName(group)}, ${group.kind}, ${sizeText(group)}`}
                onClick={() => onChoose(index)}
                onKeyDown={({ key }) => key === 'Enter' && onChoose(index)}
              >
                <rect x={0} y={y(index)} width={width} height={ROW} className={classes.ground} />
                <text x={10} y={y(index) + 16} className={classes.glyph}>
                  {GLYPHS[group.kind]}
                </text>
                <text x={28} y={y(index) + 16} className={classes.time}>
                  {onsetTime(group.onset)}
                </text>
                <text x={66} y={y(index) + 16}>
                  <tspan className={classes.service}>{group.service} </tspan>
                  {short(group.measure, 42 - group.service.length)}
                </text>
                <rect
                  x={from}
                  width={Math.max(2, to - from)}
                  y={y(index) + (ROW - thick) / 2}
                  height={thick}
                  className={classes.bar}
                />
                <line
                  x1={x(Date.parse(group.onset) - 1000 * group.within)}
                  x2={x(Date.parse(group.onset) + 1000 * group.within)}
                  y1={y(index) + ROW - 3}
                  y2={y(index) + ROW - 3}
                  className={classes.within}
                />
                {!group.goesOn && (
                  <line x1={to} x2={to} y1={y(index) + 4} y2={y(index) + ROW - 4} className={classes.end} />
                )}
                <text x={width - 8} y={y(index) + 16} textAnchor="end" className={classes.size}>
                  {sizeText(group)}
                </text>
                <title>{`${groupName(group)}: ${valueOf(group)}; ${group.spreads.toFixed(0)} spreads off; began ${onsetTime(group.onset)}, ${withinText(group)}`}</title>
              </g>
            );
          })}
        </svg>
      </div>
    </div>
  );
}

const cap = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

const short = (text: string, length: number): string =>
  text.length <= length ? text : `${text.slice(0, Math.max(8, length - 1))}…`;

const CANDIDATES = 4;
const ROLE_WORDS = {
  'likely origin': 'may be the origin',
  consequence: 'a consequence',
  open: 'open whether cause or consequence',
} as const;

function Origins({
  answer: { groups, origins, changes },
  onChoose,
}: {
  answer: OnsetsSearchAnswer;
  onChoose: (row: string) => void;
}) {
  return (
    <>
      <h2>Where it may have begun</h2>
      {origins.slice(0, CANDIDATES).map(({ group, role, reasons }, at) => (
        <div key={group} className={classes.origin}>
          <p>
            {at + 1}.{' '}
            <button type="button" className="word" onClick={() => onChoose(String(group))}>
              {groupName(groups[group]!)}
            </button>{' '}
            <span className="soft">
              {onsetTime(groups[group]!.onset)}, {ROLE_WORDS[role]}
            </span>
          </p>
          <ul>
            {reasons.map(({ for: speaks, text }) => (
              <li key={text} data-for={speaks}>
                <b>{speaks ? 'for' : 'against'}</b> {text}
              </li>
            ))}
          </ul>
        </div>
      ))}
      <p className="soft">
        Ranked by the order of onsets, who depends on whom, changes close before, and size. A candidate is no
        proof: what was never measured can not stand here.
      </p>
      <h2>Changed</h2>
      {changes.length === 0 && (
        <p className="soft">Nothing that was told, from half an hour before the focus on.</p>
      )}
      {changes.map(({ id, time, title, service }) => (
        <p key={id}>
          <span className="soft">{onsetTime(time)}</span> {title} <span className="soft">{service}</span>
        </p>
      ))}
    </>
  );
}

function Chosen({
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
          {origin.reasons.map(({ for: speaks, text }) => (
            <li key={text} data-for={speaks}>
              <b>{speaks ? 'for' : 'against'}</b> {text}
            </li>
          ))}
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
