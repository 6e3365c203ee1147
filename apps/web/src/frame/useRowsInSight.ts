import { useVirtualizer, type Virtualizer } from '@tanstack/react-virtual';
import type { RefObject } from 'react';

/** Rows that are drawn on each side of those in sight. */
const BEYOND = 12;
/** What stands above a list, about, in pixels. */
const ABOVE = 240;

interface Options {
  count: number;
  /** Of a row, in pixels. */
  height: number;
  scroller: RefObject<HTMLDivElement | null>;
  keyOf?: (index: number) => string;
}

/**
 * The rows of a long list that are in sight. How many those will be is guessed before the list is there, so that they are
 * drawn with the rest of the view, bit by bit; once it was measured they would be drawn in one go.
 */
export const useRowsInSight = ({
  count,
  height,
  scroller,
  keyOf,
}: Options): Virtualizer<HTMLDivElement, Element> =>
  useVirtualizer<HTMLDivElement, Element>({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => height,
    overscan: BEYOND,
    initialRect: { width: window.innerWidth, height: Math.max(0, window.innerHeight - ABOVE) },
    ...(keyOf && { getItemKey: keyOf }),
  });
