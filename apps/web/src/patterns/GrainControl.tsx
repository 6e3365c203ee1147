import { useDebouncedCallback } from '@mantine/hooks';
import { useState } from 'react';
import classes from './patterns.module.css';

interface Props {
  /** How many patterns there are now, and how many the grouping itself believes in. */
  patterns: number;
  own: number;
  grain: number | undefined;
  onChange: (grain: number | undefined) => void;
}

/** About how many patterns are wanted: typed or stepped, and back to what the grouping believes in. */
export function GrainControl({ patterns, own, grain, onChange }: Props) {
  const [draft, setDraft] = useState<string>();
  const settle = useDebouncedCallback((value: string) => {
    const wanted = Number(value);
    if (wanted >= 1) onChange(wanted === own ? undefined : Math.round(wanted));
    setDraft(undefined);
  }, 250);
  return (
    <span className={classes.grain}>
      about
      <input
        type="number"
        className={classes.grainInput}
        min={1}
        max={100_000}
        step={Math.max(1, Math.round(patterns / 10))}
        aria-label="About how many patterns"
        value={draft ?? grain ?? patterns}
        onChange={(event) => {
          setDraft(event.currentTarget.value);
          settle(event.currentTarget.value);
        }}
      />
      patterns
      {grain !== undefined && (
        <button type="button" className="word" onClick={() => onChange(undefined)}>
          as grouped
        </button>
      )}
    </span>
  );
}
