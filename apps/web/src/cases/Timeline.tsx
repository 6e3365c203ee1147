import type { CaseContents, TimelineEntry } from '@flail/contract';
import { Select, TextInput } from '@mantine/core';
import { useState } from 'react';
import { dayTime } from '../format/times.js';
import { Add } from './Add.js';
import classes from './cases.module.css';

const STAGES: readonly TimelineEntry['stage'][] = ['before', 'first sign', 'spread', 'peak', 'recovery'];

/** What happened when, by stages. */
export function Timeline({
  contents,
  onChange,
}: {
  contents: CaseContents;
  onChange: (next: TimelineEntry[]) => void;
}) {
  const { timeline } = contents;
  const [stage, setStage] = useState<TimelineEntry['stage']>('peak');
  const set = (entry: TimelineEntry, change: Partial<TimelineEntry>): void =>
    onChange(timeline.map((one) => (one === entry ? { ...one, ...change, found: false } : one)));
  return (
    <>
      {STAGES.map((name) => (
        <div key={name} className={classes.stage}>
          <h2>{name}</h2>
          {timeline
            .filter((entry) => entry.stage === name)
            .sort((a, b) => (a.time < b.time ? -1 : 1))
            .map((entry) => (
              <div key={`${entry.time} ${entry.text}`} className={classes.line} data-testid="timeline-entry">
                <span className="soft">{dayTime(entry.time)}</span>
                <TextInput
                  key={entry.text}
                  className={classes.grow}
                  variant="unstyled"
                  aria-label={`What happened at ${dayTime(entry.time)}`}
                  defaultValue={entry.text}
                  onBlur={({ currentTarget }) =>
                    currentTarget.value !== entry.text && set(entry, { text: currentTarget.value })
                  }
                />
                <Select
                  size="xs"
                  w={100}
                  aria-label={`Stage of ${entry.text}`}
                  data={[...STAGES]}
                  value={entry.stage}
                  allowDeselect={false}
                  onChange={(value) => set(entry, { stage: value as TimelineEntry['stage'] })}
                />
                <button
                  type="button"
                  className="word"
                  onClick={() => onChange(timeline.filter((one) => one !== entry))}
                >
                  remove
                </button>
              </div>
            ))}
        </div>
      ))}
      <div className={classes.line}>
        <Select
          size="xs"
          w={100}
          aria-label="Stage of the new entry"
          data={[...STAGES]}
          value={stage}
          allowDeselect={false}
          onChange={(value) => setStage(value as TimelineEntry['stage'])}
        />
        <div className={classes.grow}>
          <Add
            label="What happened just now"
            onAdd={(text) =>
              onChange([...timeline, { stage, time: new Date().toISOString(), text, found: false }])
            }
          />
        </div>
      </div>
    </>
  );
}
