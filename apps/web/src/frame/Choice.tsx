import { useId } from 'react';
import classes from './choice.module.css';

type Option<T extends string> = T | { value: T; label: string; disabled?: boolean };

interface Props<T extends string> {
  'aria-label': string;
  data: readonly Option<T>[];
  value: T;
  onChange: (value: T) => void;
  fullWidth?: boolean;
}

/**
 * One of a few, side by side: the browser's own radio buttons. Nothing of it is measured, as it is by controls whose mark
 * moves: that made the browser lay out every view once more as it was opened.
 */
export function Choice<T extends string>({
  data,
  value,
  onChange,
  fullWidth = false,
  'aria-label': label,
}: Props<T>) {
  const name = useId();
  return (
    <div className={classes.choice} role="radiogroup" aria-label={label} data-full={fullWidth}>
      {data.map((option) => {
        const one = typeof option === 'string' ? { value: option, label: option } : option;
        return (
          <label key={one.value}>
            <input
              type="radio"
              className="visually-hidden"
              name={name}
              value={one.value}
              checked={one.value === value}
              disabled={one.disabled}
              onChange={() => onChange(one.value)}
            />
            <span>{one.label}</span>
          </label>
        );
      })}
    </div>
  );
}
