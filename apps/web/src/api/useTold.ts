import type { ProgressBody } from '@flail/contract';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useHeld } from './queries.js';

interface Options {
  enabled?: boolean;
  /** Whether the answer before stays until there is another. */
  keep?: boolean;
}

/** A question that takes a while: its answer, how far it is, and what has been told on the way. */
export function useTold<T, News extends Partial<ProgressBody> = ProgressBody>(
  key: readonly unknown[],
  ask: (told: (news: News) => void, signal: AbortSignal) => Promise<T>,
  { enabled = true, keep = false }: Options = {},
) {
  const [state, setState] = useState<{ of: string; told: Partial<News> }>({ of: '', told: {} });
  const until = useHeld().data?.dataset?.replay?.position;
  const question = JSON.stringify([...key, until]);
  const query = useQuery({
    queryKey: [...key, until],
    queryFn: ({ signal }) => {
      setState({ of: question, told: {} });
      // What is still told of another question is no news of this one.
      const tell = (news: News): void =>
        setState((before) =>
          before.of === question ? { of: question, told: { ...before.told, ...news } } : before,
        );
      return ask(tell, signal);
    },
    enabled,
    ...(keep && { placeholderData: keepPreviousData }),
    staleTime: 60_000,
    // Asked again it takes as long again.
    retry: false,
  });
  const told: Partial<News> = state.of === question ? state.told : {};
  const { done, total } = told;
  const progress = done === undefined || total === undefined ? undefined : { done, total };
  return { ...query, told, progress };
}
