import type { CaseChange } from '@flail/contract';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api } from '../api/client.js';

export const useCases = () => useQuery({ queryKey: ['cases'], queryFn: ({ signal }) => api.cases(signal) });

export const useCaseInFull = (id: number | undefined) =>
  useQuery({
    queryKey: ['case', id],
    queryFn: ({ signal }) => api.caseInFull(id!, signal),
    enabled: id !== undefined,
  });

/** Changes a case, and shows it as it is then. */
export function useCaseChange(id: number | undefined) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (change: CaseChange) => api.changeCase(id!, change),
    onSuccess: async (answer) => {
      client.setQueryData(['case', id], answer);
      await client.invalidateQueries({ queryKey: ['cases'] });
    },
  });
}
