import type { ReplayChange } from '@flail/contract';
import { ActionIcon, Slider } from '@mantine/core';
import { IconPlayerPause, IconPlayerPlay, IconPlayerSkipBack } from '@tabler/icons-react';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../api/client.js';
import { useHeld } from '../api/queries.js';
import { LIVE, useViewState } from '../context/view-state.js';
import { clockTime, dayTime } from '../format/times.js';
import { Choice } from '../frame/Choice.js';
import classes from './datasets.module.css';

const SPEEDS = ['1', '10', '60', '600'];

/** Plays a kept data set back, as if it were arriving: nothing that comes after the position is shown anywhere. */
export default function ReplayBar() {
  const [{ dataset }] = useViewState();
  const held = useHeld().data;
  const client = useQueryClient();
  const [drawn, setDrawn] = useState<number>();
  const settled = {
    onSettled: async (): Promise<void> => {
      setDrawn(undefined);
      await client.invalidateQueries({ queryKey: ['datasets'] });
    },
  };
  const play = useMutation({
    mutationFn: (change: ReplayChange) => api.replay(dataset, change),
    ...settled,
  });
  const end = useMutation({ mutationFn: () => api.endReplay(dataset), ...settled });
  const span = held?.span;
  if (dataset === LIVE || !held?.dataset?.ready || !span) return null;
  const { replay } = held.dataset;
  const failure = play.error ?? end.error;
  const from = new Date(span.from).toISOString();
  if (!replay)
    return (
      <section className={classes.replay} aria-label="Replay">
        Kept, and shown as a whole.
        <button
          type="button"
          className="word"
          onClick={() => play.mutate({ playing: true, speed: 60, position: from })}
        >
          play it back as it happened
        </button>
        {failure && <span className={classes.failed}>{failure.message}</span>}
      </section>
    );
  const position = drawn ?? held.until;
  return (
    <section className={classes.replay} aria-label="Replay">
      <ActionIcon
        size="sm"
        variant="default"
        aria-label="From the beginning"
        title="From the beginning"
        onClick={() => play.mutate({ position: from })}
      >
        <IconPlayerSkipBack size={14} />
      </ActionIcon>
      <ActionIcon
        size="sm"
        variant="filled"
        aria-label={replay.playing ? 'Pause' : 'Play'}
        title={replay.playing ? 'Pause' : 'Play'}
        onClick={() => play.mutate({ playing: !replay.playing })}
      >
        {replay.playing ? <IconPlayerPause size={14} /> : <IconPlayerPlay size={14} />}
      </ActionIcon>
      <Choice
        aria-label="Speed"
        data={SPEEDS.map((speed) => ({ value: speed, label: `×${speed}` }))}
        value={String(replay.speed)}
        onChange={(speed) => play.mutate({ speed: Number(speed) })}
      />
      <Slider
        className={classes.position}
        size="sm"
        min={span.from}
        max={span.to}
        step={1000}
        value={position}
        label={(moment) => clockTime(new Date(moment).toISOString())}
        thumbLabel="Shown up to"
        onChange={setDrawn}
        onChangeEnd={(moment) => play.mutate({ position: new Date(moment).toISOString() })}
      />
      <span className={classes.shown} data-testid="shown-until">
        shown up to {dayTime(position)}, of {dayTime(span.to)}
      </span>
      <button type="button" className="word" onClick={() => end.mutate()}>
        show all
      </button>
      {failure && <span className={classes.failed}>{failure.message}</span>}
    </section>
  );
}
