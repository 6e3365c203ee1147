import { IconLockOpen } from '@tabler/icons-react';
import { useQuery } from '@tanstack/react-query';
import { api } from '../api/client.js';
import classes from './frame.module.css';

/** Says that there is no sign-in where others on the network reach this server. */
export function OpenWarning() {
  const state = useQuery({
    queryKey: ['server state'],
    queryFn: ({ signal }) => api.serverState(signal),
    staleTime: Infinity,
  });
  if (state.data?.open !== true) return null;
  return (
    <p className={classes.open} role="status" data-testid="open">
      <IconLockOpen size={14} aria-hidden /> There is no sign-in: everybody who reaches this address may read
      and change everything.
    </p>
  );
}
