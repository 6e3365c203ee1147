import type { ChangeBody } from '@flail/contract';
import { Popover } from '@mantine/core';
import { useDebouncedCallback } from '@mantine/hooks';
import { memo, useState } from 'react';
import type { Span } from '../context/view-state.js';
import { dayTime } from '../format/times.js';
import { type Flag, flagsOf } from './flags.js';
import classes from './timeband.module.css';

const TOP = 46;
const HEIGHT = 8;
/** Milliseconds that the pointer rests on a flag before it is told about. */
const RESTS = 150;

interface Props {
  changes: readonly ChangeBody[];
  scale: (moment: number) => number;
  onChoose: (span: Span) => void;
}

/** Changes as small flags under the ribbon; those too near to each other to be told apart share one. */
export const Flags = memo(function Flags({ changes, scale, onChoose }: Props) {
  // One card for all: a card for each flag would have to be made anew with every view.
  const [told, setTold] = useState<Flag>();
  const tell = useDebouncedCallback(setTold, RESTS);
  const leave = (): void => {
    tell.cancel();
    setTold(undefined);
  };
  return (
    <>
      {flagsOf(changes, scale).map((flag) => (
        <g
          key={flag.at}
          className={classes.flag}
          data-testid="flag"
          role="button"
          tabIndex={0}
          aria-label={labelOf(flag)}
          transform={`translate(${flag.at},${TOP})`}
          onPointerDown={(event) => event.stopPropagation()}
          onPointerEnter={() => tell(flag)}
          onPointerLeave={leave}
          onFocus={() => tell(flag)}
          onBlur={leave}
          onClick={() => onChoose(aroundFlag(flag))}
          onKeyDown={(event) => event.key === 'Enter' && onChoose(aroundFlag(flag))}
        >
          <rect x={-5} y={-2} width={12} height={HEIGHT + 4} fill="transparent" />
          <path d={`M0,${HEIGHT}V0H6L4.2,2.2L6,4.4H0`} />
        </g>
      ))}
      {told && (
        <Popover key={told.at} opened withinPortal position="bottom" width={340}>
          <Popover.Target>
            <rect
              x={told.at - 5}
              y={TOP}
              width={12}
              height={HEIGHT}
              fill="transparent"
              pointerEvents="none"
              aria-hidden
            />
          </Popover.Target>
          <Popover.Dropdown>
            {told.changes.slice(0, 8).map((change) => (
              <p key={`${change.source} ${change.id}`} className={classes.flagLine}>
                <span className="soft">{dayTime(change.time)}</span> {change.title}
                <span className="soft"> {whereOf(change)}</span>
              </p>
            ))}
            {told.changes.length > 8 && <p className="soft">and {told.changes.length - 8} more</p>}
            <p className="soft">Press for the ten minutes before and the twenty after.</p>
          </Popover.Dropdown>
        </Popover>
      )}
    </>
  );
});

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
