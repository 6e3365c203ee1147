import { useMutation, useQueryClient } from '@tanstack/react-query';
import { api } from '../api/client.js';
import { useAsked, windowBody } from '../api/queries.js';
import type { Span } from '../context/view-state.js';

export const useRunsTally = (dataset: string, span: Span) =>
  useAsked(['runs-tally', dataset, span], (signal) =>
    api.runsTally({ dataset, window: windowBody(span) }, signal),
  );

export const useRuns = (dataset: string, span: Span) =>
  useAsked(['runs', dataset, span], (signal) =>
    api.runs({ dataset, window: windowBody(span), limit: 2000 }, signal),
  );

export const useRun = (dataset: string, run: string) =>
  useAsked(['run', dataset, run], (signal) => api.run(dataset, run, signal), run !== '');

/** Asks the scheduler to stop a run or try it again; what is shown of runs is asked for anew. */
export function useRunAction() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ run, action }: { run: string; action: 'stop' | 'retry' }) => api.actOnRun(run, action),
    onSuccess: async () => {
      for (const key of ['run', 'runs', 'runs-tally']) await client.invalidateQueries({ queryKey: [key] });
    },
  });
}
