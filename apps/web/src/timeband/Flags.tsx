import type { ChangeBody } from '@flail/contract';
import { HoverCard } from '@mantine/core';
import type { Span } from '../context/view-state.js';
import { dayTime } from '../format/times.js';
import { type Flag, flagsOf } from './flags.js';
import classes from './timeband.module.css';

const TOP = 46;
const HEIGHT = 8;

interface Props {
  changes: readonly ChangeBody[];
  x: (moment: number) => number;
  onChoose: (span: Span) => void;
}

/** Changes as small flags under the ribbon; those too near to each other to be told apart share one. */
export const Flags = ({ changes, x, onChoose }: Props) => (
  <>
    {flagsOf(changes, x).map((flag) => (
      <HoverCard key={flag.at} withinPortal position="bottom" openDelay={150} width={340}>
        <HoverCard.Target>
          <g
            className={classes.flag}
            data-testid="flag"
            role="button"
            tabIndex={0}
            aria-label={labelOf(flag)}
            transform={`translate(${flag.at},${TOP})`}
            onPointerDown={(event) => event.stopPropagation()}
            onClick={() => onChoose(aroundFlag(flag))}
            onKeyDown={(event) => event.key === 'Enter' && onChoose(aroundFlag(flag))}
          >
            <rect x={-5} y={-2} width={12} height={HEIGHT + 4} fill="transparent" />
            <path d={`M0,${HEIGHT}V0H6L4.2,2.2L6,4.4H0`} />
          </g>
        </HoverCard.Target>
        <HoverCard.Dropdown>
          {flag.changes.slice(0, 8).map((change) => (
            <p key={`${change.source} ${change.id}`} className={classes.flagLine}>
              <span className="soft">{dayTime(change.time)}</span> {change.title}
              <span className="soft"> {whereOf(change)}</span>
            </p>
          ))}
          {flag.changes.length > 8 && <p className="soft">and {flag.changes.length - 8} more</p>}
          <p className="soft">Press for the ten minutes before and the twenty after.</p>
        </HoverCard.Dropdown>
      </HoverCard>
    ))}
  </>
);

const MINUTE = 60_000;

const aroundFlag = ({ changes }: Flag): Span => ({
  from: Date.parse(changes[0]!.time) - 10 * MINUTE,
  to: Date.parse(changes.at(-1)!.time) + 20 * MINUTE,
});

const labelOf = ({ changes }: Flag): string =>
  changes.length === 1
    ? `Change at ${dayTime(changes[0]!.time)}: ${changes[0]!.title}`
    : `${changes.length} changes around ${dayTime(changes[0]!.time)}, the first: ${changes[0]!.title}`;

const whereOf = ({ entity }: ChangeBody): string => Object.values(entity).slice(0, 2).join(' · ');
