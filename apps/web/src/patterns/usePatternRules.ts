import type { CorrectionBody, MarkBody } from '@flail/contract';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { api } from '../api/client.js';
import { useViewState } from '../context/view-state.js';

/** What was done last, and how it is taken back. */
export interface Done {
  words: string;
  undo: () => void;
}

/** Corrects and marks patterns; everything that was done can be taken back. */
export function usePatternRules(onDone: (done: Done | undefined) => void) {
  const [{ dataset }] = useViewState();
  const client = useQueryClient();
  const changed = async (): Promise<void> => {
    for (const key of ['patterns', 'pattern', 'marks', 'corrections', 'count'])
      await client.invalidateQueries({ queryKey: [key] });
  };
  const undo = useMutation({
    mutationFn: ({ kind, ids }: { kind: 'mark' | 'correction'; ids: number[] }) =>
      Promise.all(
        ids.map((id) => (kind === 'mark' ? api.undoMark(dataset, id) : api.undoCorrection(dataset, id))),
      ),
    onSuccess: async () => {
      onDone(undefined);
      await changed();
    },
  });
  const correct = useMutation({
    mutationFn: ({ rule }: { rule: CorrectionBody; words: string }) => api.correct(dataset, rule),
    onSuccess: async (kept, { words }) => {
      onDone({ words, undo: () => undo.mutate({ kind: 'correction', ids: [kept.id] }) });
      await changed();
    },
  });
  const mark = useMutation({
    mutationFn: ({ marks }: { marks: MarkBody[]; words: string }) =>
      Promise.all(marks.map((one) => api.mark(dataset, one))),
    onSuccess: async (kept, { words }) => {
      onDone({ words, undo: () => undo.mutate({ kind: 'mark', ids: kept.map(({ id }) => id) }) });
      await changed();
    },
  });
  return {
    correct: (rule: CorrectionBody, words: string) => correct.mutate({ rule, words }),
    mark: (marks: MarkBody[], words: string) => mark.mutate({ marks, words }),
    undo: (kind: 'mark' | 'correction', id: number) => undo.mutate({ kind, ids: [id] }),
    failure: correct.error ?? mark.error ?? undo.error ?? undefined,
  };
}

export type PatternRules = ReturnType<typeof usePatternRules>;
