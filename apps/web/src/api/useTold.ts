import type { ProgressBody } from '@flail/contract';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useHeld } from './queries.js';

/** A question that takes a while: its answer, how far it is, and what has been told on the way. */
export function useTold<T, News extends Partial<ProgressBody> = ProgressBody>(
  key: readonly unknown[],
  ask: (told: (news: News) => void, signal: AbortSignal) => Promise<T>,
  enabled = true,
) {
  const [told, setTold] = useState<Partial<News>>({});
  const until = useHeld().data?.dataset?.replay?.position;
  const query = useQuery({
    queryKey: [...key, until],
    queryFn: ({ signal }) => {
      setTold({});
      return ask((news) => setTold((before) => ({ ...before, ...news })), signal);
    },
    enabled,
    staleTime: 60_000,
    // Asked again it takes as long again.
    retry: false,
  });
  const { done, total } = told;
  const progress = done === undefined || total === undefined ? undefined : { done, total };
  return { ...query, told, progress };
}
