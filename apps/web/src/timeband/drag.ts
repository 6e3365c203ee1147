import type { Span } from '../context/view-state.js';

/** What a drag on the timeband does. */
export type Grip =
  'draw' | 'focus-from' | 'focus-to' | 'focus-move' | 'baseline-from' | 'baseline-to' | 'baseline-move';

/** Pixels around an edge that take hold of it. */
const REACH = 6;
/** Brackets narrower than this are moved by their middle and stretched from outside. */
const NARROW = 18;

/** What lies under the pointer: an edge, the inside of a bracket, or nothing. The focus comes before the baseline. */
export function gripAt(
  x: number,
  focus: [number, number] | undefined,
  baseline: [number, number] | undefined,
): Grip {
  for (const [name, bracket] of [
    ['focus', focus],
    ['baseline', baseline],
  ] as const) {
    if (!bracket) continue;
    const [from, to] = bracket;
    const inner = to - from < NARROW ? 0 : REACH;
    if (x >= from - REACH && x <= from + inner && x < (from + to) / 2) return `${name}-from`;
    if (x <= to + REACH && x >= to - inner && x > (from + to) / 2) return `${name}-to`;
    if (x > from && x < to) return `${name}-move`;
  }
  return 'draw';
}

/** The span that a drag from one moment to another makes of the one it took hold of. */
export function dragged(grip: Grip, span: Span | undefined, start: number, now: number, limits: Span): Span {
  const inside = (moment: number): number => Math.min(limits.to, Math.max(limits.from, moment));
  if (grip === 'draw' || !span)
    return { from: inside(Math.min(start, now)), to: inside(Math.max(start, now)) };
  if (grip.endsWith('-move')) {
    const shift = now - start;
    return { from: span.from + shift, to: span.to + shift };
  }
  const fixed = grip.endsWith('-from') ? span.to : span.from;
  const moved = inside(now);
  return { from: Math.min(fixed, moved), to: Math.max(fixed, moved) };
}

/** The part of time that is shown after zooming by a factor around a moment. Never beyond what is held, never under ten seconds. */
export function zoomed(band: Span, around: number, factor: number, held: Span): Span | undefined {
  const length = Math.max(10_000, (band.to - band.from) * factor);
  if (length >= held.to - held.from) return undefined;
  const share = (around - band.from) / (band.to - band.from);
  const from = Math.min(Math.max(held.from, around - share * length), held.to - length);
  return { from, to: from + length };
}
