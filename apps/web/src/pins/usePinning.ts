import type { PinBody } from '@flail/contract';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useCallback } from 'react';
import { useLocation } from 'react-router';
import { api } from '../api/client.js';
import { useCase } from '../api/queries.js';

/** Pins things in the open case, with the view as it stands. */
export function usePinning(): (pin: Omit<PinBody, 'address'> & { address?: string }) => void {
  const open = useCase();
  const client = useQueryClient();
  const { pathname, search } = useLocation();
  const { mutate } = useMutation({
    mutationFn: ({ id, body }: { id: number; body: PinBody }) => api.pin(id, body),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ['pins'] });
      await client.invalidateQueries({ queryKey: ['cases'] });
    },
  });
  const id = open?.id;
  return useCallback(
    (body) => {
      if (id !== undefined) mutate({ id, body: { address: `${pathname}${search}`, ...body } });
    },
    [id, mutate, pathname, search],
  );
}
