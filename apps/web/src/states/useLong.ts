import { useEffect, useState } from 'react';

/** Milliseconds after which a wait is told of. */
const LONG_MS = 1000;

/** Whether something has been under way for so long that somebody wonders. */
export function useLong(underWay: boolean): boolean {
  const [long, setLong] = useState(false);
  useEffect(() => {
    if (!underWay) return;
    const timer = setTimeout(() => setLong(true), LONG_MS);
    return () => {
      clearTimeout(timer);
      setLong(false);
    };
  }, [underWay]);
  return long;
}
