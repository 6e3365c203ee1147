import { TextInput } from '@mantine/core';
import { useState } from 'react';
import classes from './cases.module.css';

/** A field for one more line of a list. */
export function Add({ label, onAdd }: { label: string; onAdd: (text: string) => void }) {
  const [text, setText] = useState('');
  const add = (): void => {
    if (text.trim() === '') return;
    onAdd(text.trim());
    setText('');
  };
  return (
    <div className={classes.line}>
      <TextInput
        className={classes.grow}
        aria-label={label}
        placeholder={label}
        value={text}
        onChange={({ currentTarget }) => setText(currentTarget.value)}
        onKeyDown={({ key }) => key === 'Enter' && add()}
      />
      <button type="button" className="word" onClick={add}>
        add
      </button>
    </div>
  );
}
