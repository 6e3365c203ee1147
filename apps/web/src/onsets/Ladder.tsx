import type { OnsetGroupBody, OnsetsSearchAnswer } from '@flail/contract';
import { useCallbackRef, useElementSize } from '@mantine/hooks';
import { type ScaleTime, scaleTime } from 'd3-scale';
import { memo, useMemo } from 'react';
import type { Span } from '../context/view-state.js';
import { GLYPHS, groupName, onsetTime, sizeText, valueOf, withinText } from './sentences.js';
import classes from './onsets.module.css';

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
export function Ladder({ answer, focus: { from, to }, chosen, onChoose }: LadderProps) {
  const { groups, changes, depends } = answer;
  const { ref, width } = useElementSize();
  const choose = useCallbackRef(onChoose);
  const { x, earliest } = useMemo(() => axisOf(groups, { from, to }, width), [groups, from, to, width]);
  const most = useMemo(() => Math.max(...groups.map(({ spreads }) => Math.log1p(spreads))), [groups]);
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
            const [cause, effect] = [Date.parse(groups[called]!.onset), Date.parse(groups[caller]!.onset)];
            if (cause > effect) return null;
            const [x1, x2] = [x(cause), x(effect)];
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
          {groups.map((group, index) => (
            <Rung
              key={`${groupName(group)} ${group.side}`}
              group={group}
              index={index}
              x={x}
              top={y(index)}
              width={width}
              most={most}
              chosen={index === chosen}
              onChoose={choose}
            />
          ))}
        </svg>
      </div>
    </div>
  );
}

/** The axis of time, from the first onset or the beginning of the focus on. */
function axisOf(
  groups: readonly OnsetGroupBody[],
  focus: Span,
  width: number,
): { x: ScaleTime<number, number>; earliest: number } {
  // A slow climb may have begun hours before; the rest must not become small for that.
  const sudden = groups.filter(({ limitIn }) => limitIn === undefined);
  const earliest = Math.min(focus.from, ...sudden.map(({ onset }) => Date.parse(onset)));
  return {
    x: scaleTime([earliest, focus.to], [NAME, Math.max(NAME + 100, width - SIZE)]).clamp(true),
    earliest,
  };
}

interface RungProps {
  group: OnsetGroupBody;
  index: number;
  x: ScaleTime<number, number>;
  top: number;
  width: number;
  /** Size of the largest group. */
  most: number;
  chosen: boolean;
  onChoose: (index: number) => void;
}

const Rung = memo(function Rung({ group, index, x, top, width, most, chosen, onChoose }: RungProps) {
  const thick = 3 + 11 * (Math.log1p(group.spreads) / most);
  const [from, to] = [x(Date.parse(group.onset)), x(Date.parse(group.end))];
  return (
    <g
      className={classes.row}
      data-chosen={chosen}
      data-kind={group.kind}
      data-testid="onset"
      role="button"
      tabIndex={0}
      aria-label={`${onsetTime(group.onset)} ${groupName(group)}, ${group.kind}, ${sizeText(group)}`}
      onClick={() => onChoose(index)}
      onKeyDown={({ key }) => key === 'Enter' && onChoose(index)}
    >
      <rect x={0} y={top} width={width} height={ROW} className={classes.ground} />
      <text x={10} y={top + 16} className={classes.glyph}>
        {GLYPHS[group.kind]}
      </text>
      <text x={28} y={top + 16} className={classes.time}>
        {onsetTime(group.onset)}
      </text>
      <text x={66} y={top + 16}>
        <tspan className={classes.service}>{group.service} </tspan>
        {short(group.measure, 42 - group.service.length)}
      </text>
      <rect
        x={from}
        width={Math.max(2, to - from)}
        y={top + (ROW - thick) / 2}
        height={thick}
        className={classes.bar}
      />
      <line
        x1={x(Date.parse(group.onset) - 1000 * group.within)}
        x2={x(Date.parse(group.onset) + 1000 * group.within)}
        y1={top + ROW - 3}
        y2={top + ROW - 3}
        className={classes.within}
      />
      {!group.goesOn && <line x1={to} x2={to} y1={top + 4} y2={top + ROW - 4} className={classes.end} />}
      <text x={width - 8} y={top + 16} textAnchor="end" className={classes.size}>
        {sizeText(group)}
      </text>
      <title>{`${groupName(group)}: ${valueOf(group)}; ${group.spreads.toFixed(0)} spreads off; began ${onsetTime(group.onset)}, ${withinText(group)}`}</title>
    </g>
  );
});

const short = (text: string, length: number): string =>
  text.length <= length ? text : `${text.slice(0, Math.max(8, length - 1))}…`;
