import type { ProgressBody } from '@flail/contract';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useHeld } from './queries.js';

/** A question that takes a while: its answer, and how far it is. */
export function useTold<T>(
  key: readonly unknown[],
  ask: (told: (news: ProgressBody) => void, signal: AbortSignal) => Promise<T>,
  enabled = true,
) {
  const [progress, setProgress] = useState<ProgressBody>();
  const until = useHeld().data?.dataset?.replay?.position;
  const query = useQuery({
    queryKey: [...key, until],
    queryFn: ({ signal }) => {
      setProgress(undefined);
      return ask(setProgress, signal);
    },
    enabled,
    staleTime: 60_000,
    // Asked again it takes as long again.
    retry: false,
  });
  return { ...query, progress };
}
