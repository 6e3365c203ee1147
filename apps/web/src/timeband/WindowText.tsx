import { TextInput } from '@mantine/core';
import { parseWindow } from '@flail/core/time';
import { useState } from 'react';
import type { Span } from '../context/view-state.js';
import { duration, windowText } from '../format/times.js';
import classes from './timeband.module.css';

interface Props {
  kind: 'focus' | 'baseline';
  span: Span | undefined;
  held: Span | undefined;
  onChange: (span: Span) => void;
}

/** A window in words; a click turns the words into a field that takes them. */
export function WindowText({ kind, span, held, onChange }: Props) {
  const [text, setText] = useState<string>();
  const [failed, setFailed] = useState(false);
  const words = span ? `${windowText(span.from, span.to)}, ${duration(span.to - span.from)}` : undefined;

  if (text === undefined) {
    return (
      <button
        type="button"
        className={classes.window}
        data-kind={kind}
        onClick={() => setText(words ?? '')}
        onKeyDown={(event) => {
          if (event.key !== 'Enter') return;
          // Left to itself, the same key press would go on to submit the field that takes the button's place.
          event.preventDefault();
          setText(words ?? '');
        }}
        aria-label={`${kind === 'focus' ? 'Focus' : 'Baseline'}: ${words ?? 'none'}. Type another.`}
      >
        <i className={classes.swatch} />
        <span className={classes.name}>{kind === 'focus' ? 'Focus' : 'Baseline'}</span>{' '}
        {words ?? (kind === 'focus' ? 'none yet: draw one below, or type' : 'none')}
      </button>
    );
  }
  const leave = (): void => {
    setText(undefined);
    setFailed(false);
  };
  const submit = (): void => {
    if (text === (words ?? '')) return leave();
    // "Last 15 min" means the last of what is held, not of a clock that the data may be far behind.
    const parsed = parseWindow(text, Math.min(Date.now(), held?.to ?? Infinity));
    if (!parsed) return setFailed(true);
    onChange(parsed);
    leave();
  };
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        submit();
      }}
    >
      <TextInput
        autoFocus
        w={330}
        aria-label={`${kind === 'focus' ? 'Focus' : 'Baseline'} as text`}
        value={text}
        placeholder="18:00 to 18:20 yesterday · last 15 min"
        error={failed && 'Not understood. Try: 18:00 to 18:20 yesterday, last 15 min, Thu 18:10 ± 5 min'}
        classNames={{ error: classes.windowError }}
        onChange={(event) => {
          setText(event.currentTarget.value);
          setFailed(false);
        }}
        onFocus={(event) => event.currentTarget.select()}
        onBlur={leave}
        onKeyDown={(event) => event.key === 'Escape' && leave()}
      />
    </form>
  );
}
