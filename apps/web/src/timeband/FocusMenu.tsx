import { Menu } from '@mantine/core';
import { IconChevronDown } from '@tabler/icons-react';
import type { Span } from '../context/view-state.js';
import classes from './timeband.module.css';

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;

interface Props {
  /** Up to where records are shown. */
  until: number | undefined;
  focus: Span | undefined;
  onChange: (focus: Span) => void;
}

/** Choices of a focus that need no drawing. */
export function FocusMenu({ until, focus, onChange }: Props) {
  if (until === undefined || Number.isNaN(until)) return null;
  const middle = focus && (focus.from + focus.to) / 2;
  const last = (length: number) => () => onChange({ from: until - length, to: until });
  const around = (margin: number) => () =>
    middle !== undefined && onChange({ from: middle - margin, to: middle + margin });
  return (
    <Menu position="bottom-start" withinPortal>
      <Menu.Target>
        <button type="button" className={classes.choice} aria-label="Other windows">
          windows <IconChevronDown size={12} />
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item onClick={last(15 * MINUTE)}>the last 15 min</Menu.Item>
        <Menu.Item onClick={last(HOUR)}>the last hour</Menu.Item>
        <Menu.Item onClick={last(24 * HOUR)}>the last 24 hours</Menu.Item>
        <Menu.Divider />
        <Menu.Item disabled={!focus} onClick={() => focus && onChange({ from: focus.from, to: until })}>
          from here on, up to now
        </Menu.Item>
        <Menu.Item disabled={!focus} onClick={around(5 * MINUTE)}>
          its middle ± 5 min
        </Menu.Item>
        <Menu.Item disabled={!focus} onClick={around(1000)}>
          its middle ± 1 s
        </Menu.Item>
        <Menu.Item
          disabled={!focus}
          onClick={() => focus && onChange({ from: focus.from - (focus.to - focus.from), to: focus.from })}
        >
          the stretch before it
        </Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
