import { useEffect, useRef, useState } from 'react';

/** By how much a number that is looked at now and then grows in a second; nought until it was seen to change. */
export function useGrowth(count: number | undefined): number {
  const last = useRef<{ count: number; at: number }>(undefined);
  const [rate, setRate] = useState(0);
  useEffect(() => {
    if (count === undefined) return undefined;
    const now = performance.now();
    const before = last.current;
    last.current = { count, at: now };
    if (before && count > before.count) setRate(((count - before.count) * 1000) / (now - before.at));
    // Without news for long it grows no more.
    const quiet = setTimeout(() => setRate(0), QUIET_MS);
    return () => clearTimeout(quiet);
  }, [count]);
  return Math.round(rate);
}

const QUIET_MS = 12_000;
