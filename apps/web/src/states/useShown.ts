import { useDeferredValue, useMemo } from 'react';

/**
 * An answer, handed on when there is time to draw it: what draws it is to be a part of its own that is remembered
 * (`memo`), so that a long answer is drawn bit by bit and does not hold up whoever types or clicks meanwhile.
 */
export function useShown<T>({
  data,
  isPlaceholderData,
}: {
  data: T | undefined;
  isPlaceholderData: boolean;
}): { answer: T | undefined; stale: boolean } {
  const now = useMemo(() => ({ answer: data, stale: isPlaceholderData }), [data, isPlaceholderData]);
  return useDeferredValue(now);
}
