import type { Pin, PinKind } from '@flail/contract';
import { CloseButton, TextInput } from '@mantine/core';
import {
  IconAlignLeft,
  IconChartBar,
  IconClock,
  IconFlag,
  IconPin,
  IconStack2,
  IconZoomScan,
} from '@tabler/icons-react';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { type ComponentType, useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../api/client.js';
import { useCase, usePins } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';
import { dayTime, duration, windowText } from '../format/times.js';
import { usePinning } from './usePinning.js';
import classes from './pins.module.css';

const ICONS: Record<PinKind, ComponentType<{ size?: number }>> = {
  line: IconAlignLeft,
  pattern: IconStack2,
  chart: IconChartBar,
  window: IconClock,
  change: IconFlag,
  signature: IconZoomScan,
};

/** What is pinned in the open case: a strip with a count, or the list of it, the newest first. */
export function PinTray() {
  const [open, setOpen] = useState(false);
  const kept = useCase();
  const pins = usePins(kept?.id);
  const pin = usePinning();
  const client = useQueryClient();
  const [{ focus }] = useViewState();
  const rename = useMutation({
    mutationFn: (name: string) => api.renameCase(kept!.id, name),
    onSuccess: () => client.invalidateQueries({ queryKey: ['cases'] }),
  });
  const count = pins.data?.length ?? 0;
  if (!open)
    return (
      <button
        type="button"
        className={classes.strip}
        aria-label={`Pins: ${count}. Show them.`}
        data-testid="pin-strip"
        onClick={() => setOpen(true)}
      >
        <IconPin size={16} />
        <b>{count}</b>
      </button>
    );
  return (
    <aside className={classes.tray} aria-label="Pins">
      <div className={classes.head}>
        <TextInput
          key={kept?.name}
          size="xs"
          variant="unstyled"
          aria-label="Name of the case"
          defaultValue={kept?.name}
          onBlur={(event) => {
            const name = event.currentTarget.value.trim();
            if (kept && name !== '' && name !== kept.name) rename.mutate(name);
          }}
        />
        <CloseButton size="sm" ml="auto" aria-label="Fold the pins" onClick={() => setOpen(false)} />
      </div>
      {focus && (
        <button
          type="button"
          className="word"
          onClick={() =>
            pin({
              kind: 'window',
              title: `${windowText(focus.from, focus.to)}, ${duration(focus.to - focus.from)}`,
            })
          }
        >
          pin this view with its windows
        </button>
      )}
      {count === 0 && (
        <p className="soft">
          Nothing is pinned yet. Press <kbd>p</kbd> on a line or a pattern; each pin returns to its exact
          view.
        </p>
      )}
      <ul className={classes.list}>
        {pins.data?.map((one) => (
          <PinRow key={one.id} pin={one} caseId={kept!.id} />
        ))}
      </ul>
    </aside>
  );
}

function PinRow({ pin, caseId }: { pin: Pin; caseId: number }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const Icon = ICONS[pin.kind];
  const changed = async (): Promise<void> => {
    await client.invalidateQueries({ queryKey: ['pins'] });
    await client.invalidateQueries({ queryKey: ['cases'] });
  };
  const unpin = useMutation({ mutationFn: () => api.unpin(caseId, pin.id), onSuccess: changed });
  const note = useMutation({
    mutationFn: (text: string) => api.notePin(caseId, pin.id, text),
    onSuccess: changed,
  });
  return (
    <li className={classes.pin} data-testid="pin">
      <div className={classes.pinHead}>
        <Icon size={14} />
        <span className="soft">{dayTime(pin.at)}</span>
        <button type="button" className="word" onClick={() => unpin.mutate()}>
          take off
        </button>
      </div>
      <button type="button" className={classes.title} onClick={() => void navigate(pin.address)}>
        {pin.title}
      </button>
      <TextInput
        key={pin.note}
        size="xs"
        variant="unstyled"
        placeholder="add a note"
        aria-label={`Note on ${pin.title}`}
        defaultValue={pin.note}
        onBlur={(event) => {
          const text = event.currentTarget.value.trim();
          if (text !== pin.note) note.mutate(text);
        }}
      />
    </li>
  );
}
