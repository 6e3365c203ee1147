import { useHeld } from '../api/queries.js';
import { type Span, useViewState } from '../context/view-state.js';

const DAY = 86_400_000;
const MINUTE = 60_000;

/**
 * The time over which runs are looked at: they are few and far between, so with a short focus, or none, it is the day
 * up to its end. Undefined until it is known what is held.
 */
export function useRunsSpan(): Span | undefined {
  const [{ focus }] = useViewState();
  const held = useHeld().data;
  if (!held) return undefined;
  const to = focus?.to ?? Math.ceil(held.until / MINUTE) * MINUTE;
  return { from: focus ? Math.min(focus.from, to - DAY) : to - DAY, to };
}

/** The same where the run lies in it, else the day up to the end of the run. */
export function spanWith(span: Span, { from, to = from }: { from: string; to?: string }): Span {
  const end = Math.ceil((Date.parse(to) + 1) / MINUTE) * MINUTE;
  const holds = Date.parse(from) <= span.to && Date.parse(to) >= span.from;
  return holds ? span : { from: end - DAY, to: end };
}
