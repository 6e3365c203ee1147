import type { PinBody } from '@flail/contract';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useLocation } from 'react-router';
import { api } from '../api/client.js';
import { useCase } from '../api/queries.js';

/** Pins things in the open case, with the view as it stands. */
export function usePinning(): (pin: Omit<PinBody, 'address'> & { address?: string }) => void {
  const open = useCase();
  const client = useQueryClient();
  const { pathname, search } = useLocation();
  const pin = useMutation({
    mutationFn: (body: PinBody) => api.pin(open!.id, body),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ['pins'] });
      await client.invalidateQueries({ queryKey: ['cases'] });
    },
  });
  return (body) => {
    if (open) pin.mutate({ address: `${pathname}${search}`, ...body });
  };
}
