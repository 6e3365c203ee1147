import type { CaseAnswer, CaseChange } from '@flail/contract';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api } from '../api/client.js';

export const useCases = () => useQuery({ queryKey: ['cases'], queryFn: ({ signal }) => api.cases(signal) });

export const useCaseInFull = (id: number | undefined) =>
  useQuery({
    queryKey: ['case', id],
    queryFn: ({ signal }) => api.caseInFull(id!, signal),
    enabled: id !== undefined,
  });

/** Opens a new case. */
export function useMakeCase(onMade: (id: number) => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => api.makeCase('Untitled'),
    onSuccess: async ({ id }) => {
      await client.invalidateQueries({ queryKey: ['cases'] });
      onMade(id);
    },
  });
}

/** Changes a case, and shows it as it is to be at once; what can not be kept is taken back. */
export function useCaseChange(id: number | undefined) {
  const client = useQueryClient();
  const key = ['case', id];
  return useMutation({
    mutationFn: (change: CaseChange) => api.changeCase(id!, change),
    onMutate: ({ name, contents }) => {
      void client.cancelQueries({ queryKey: key });
      const before = client.getQueryData<CaseAnswer>(key);
      if (before)
        client.setQueryData<CaseAnswer>(key, {
          ...before,
          name: name ?? before.name,
          contents: { ...before.contents, ...contents },
        });
      return { before };
    },
    onError: (_error, _change, kept) => client.setQueryData(key, kept?.before),
    onSuccess: async (answer) => {
      client.setQueryData(key, answer);
      await client.invalidateQueries({ queryKey: ['cases'] });
    },
  });
}
