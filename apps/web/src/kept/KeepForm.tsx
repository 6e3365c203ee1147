import { TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import classes from './kept.module.css';

interface Props {
  /** What is kept, as it is called: "this scope". */
  what: string;
  label: string;
  /** Key of the query that lists what is kept. */
  list: string;
  onKeep: (as: { name: string; shared: boolean }) => Promise<unknown>;
}

/** Keeps something under a name, for oneself or for all. */
export function KeepForm({ what, label, list, onKeep }: Props) {
  const [name, setName] = useState('');
  const [shared, setShared] = useState(false);
  const client = useQueryClient();
  const keep = useMutation({
    mutationFn: () => onKeep({ name: name.trim(), shared }),
    onSuccess: async () => {
      setName('');
      await client.invalidateQueries({ queryKey: [list] });
    },
  });
  return (
    <form
      className={classes.keep}
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim() !== '') keep.mutate();
      }}
    >
      <TextInput
        size="xs"
        placeholder={`keep ${what} under a name`}
        aria-label={label}
        value={name}
        maxLength={200}
        error={keep.error?.message}
        onChange={(event) => setName(event.currentTarget.value)}
      />
      <label className={classes.shared}>
        <input
          type="checkbox"
          checked={shared}
          onChange={(event) => setShared(event.currentTarget.checked)}
        />{' '}
        for all
      </label>
    </form>
  );
}
