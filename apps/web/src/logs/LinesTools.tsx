import type { ReadBody } from '@flail/contract';
import { parseMoment } from '@flail/core/time';
import { Menu, Switch, TextInput } from '@mantine/core';
import { IconAdjustments, IconListDetails, IconPlayerTrackNext } from '@tabler/icons-react';
import { useState } from 'react';
import { useHeld } from '../api/queries.js';
import { LIVE, useViewState } from '../context/view-state.js';
import { ExportMenu } from '../export/ExportMenu.js';
import { Choice } from '../frame/Choice.js';
import type { Highlight } from './highlights.js';
import list from '../frame/list.module.css';
import classes from './logs.module.css';

export type Show = 'lines' | 'table' | 'chart';

interface Props {
  finding: string;
  show: Show;
  onShow: (show: string) => void;
  order: string;
  onOrder: (order: string) => void;
  wrap: boolean;
  onWrap: (on: boolean) => void;
  roomy: boolean;
  onRoomy: (on: boolean) => void;
  fields: boolean;
  onFields: (on: boolean) => void;
  following: boolean;
  onFollow: (on: boolean) => void;
  highlights: readonly Highlight[];
  onUnmark: (text: string) => void;
  body: ReadBody;
  columns: readonly string[];
  onJump: (moment: number) => void;
}

/** What can be done with the lines as a whole, and the finding about them. */
export function LinesTools(props: Props) {
  const { finding, show, order, following, fields } = props;
  const [{ dataset }] = useViewState();
  return (
    <div className={classes.head}>
      <button
        type="button"
        className={classes.tool}
        aria-pressed={fields}
        onClick={() => props.onFields(!fields)}
        title="Fields, and how their values differ"
      >
        <IconListDetails size={15} /> fields
      </button>
      <p className={list.finding} data-testid={finding === '' ? undefined : 'finding'}>
        {finding}
      </p>
      {props.highlights.map(({ text, colour }) => (
        <button
          key={text}
          type="button"
          className={classes.chip}
          data-colour={colour}
          aria-label={`No longer mark ${text}`}
          onClick={() => props.onUnmark(text)}
        >
          {text.slice(0, 24)} ×
        </button>
      ))}
      <Choice aria-label="Shown as" data={['lines', 'table', 'chart']} value={show} onChange={props.onShow} />
      {show === 'lines' && (
        <>
          {!following && (
            <Choice
              data={[
                { value: 'newest', label: 'newest first' },
                { value: 'oldest', label: 'oldest first' },
              ]}
              value={order}
              onChange={props.onOrder}
              aria-label="Order of the lines"
            />
          )}
          {dataset === LIVE && (
            <button
              type="button"
              className={classes.tool}
              aria-pressed={following}
              onClick={() => props.onFollow(!following)}
              title="Records as they come in"
            >
              <IconPlayerTrackNext size={15} /> follow
            </button>
          )}
          <LookMenu {...props} />
        </>
      )}
      <ExportMenu body={props.body} columns={props.columns} />
    </div>
  );
}

/** How lines look, and where to jump in them. */
function LookMenu({ wrap, onWrap, roomy, onRoomy, onJump }: Props) {
  const until = useHeld().data?.until;
  const [text, setText] = useState('');
  const [failed, setFailed] = useState(false);
  return (
    <Menu position="bottom-end" withinPortal closeOnItemClick={false} width={230}>
      <Menu.Target>
        <button type="button" className={classes.tool} aria-label="Look of the lines">
          <IconAdjustments size={15} />
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <div className={classes.look}>
          <Switch
            size="xs"
            label="whole lines, wrapped"
            checked={wrap}
            onChange={(event) => onWrap(event.currentTarget.checked)}
          />
          <Switch
            size="xs"
            label="roomy"
            checked={roomy}
            onChange={(event) => onRoomy(event.currentTarget.checked)}
          />
          <form
            onSubmit={(event) => {
              event.preventDefault();
              const moment = parseMoment(text, Math.min(Date.now(), until ?? Infinity));
              setFailed(moment === undefined);
              if (moment !== undefined) onJump(moment);
            }}
          >
            <TextInput
              size="xs"
              label="Jump to"
              placeholder="18:02:30 · yesterday 18:00"
              value={text}
              error={failed && 'No moment; try 18:02:30'}
              onChange={(event) => {
                setText(event.currentTarget.value);
                setFailed(false);
              }}
            />
          </form>
        </div>
      </Menu.Dropdown>
    </Menu>
  );
}
