import { Menu } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import classes from './kept.module.css';

interface Props {
  name: string;
  shared: boolean;
  /** Key of the query that lists what is kept. */
  list: string;
  onTake: () => void;
  onForget: () => Promise<unknown>;
  children?: ReactNode;
}

/** Something that is kept under a name: to be taken, or let go of. */
export function KeptItem({ name, shared, list, onTake, onForget, children }: Props) {
  const client = useQueryClient();
  const forget = useMutation({
    mutationFn: onForget,
    onSuccess: () => client.invalidateQueries({ queryKey: [list] }),
  });
  return (
    <div className={classes.kept} role="none">
      <Menu.Item onClick={onTake}>
        <b>{name}</b> {shared && <span className="soft">for all</span>}
        {children}
      </Menu.Item>
      <Menu.Item
        className={classes.letGo}
        closeMenuOnClick={false}
        aria-label={`Let go of ${name}`}
        onClick={() => forget.mutate()}
      >
        let go
      </Menu.Item>
    </div>
  );
}
