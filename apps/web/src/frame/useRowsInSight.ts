import { elementScroll, useVirtualizer, type Virtualizer } from '@tanstack/react-virtual';
import type { RefObject } from 'react';

/** Rows that are drawn on each side of those in sight. */
const BEYOND = 12;
/** What stands above a list, about, in pixels. */
const ABOVE = 240;

type Rows = Virtualizer<HTMLDivElement, Element>;

/** Tells how large a list is once it was laid out; asked as it comes into the page, all would be laid out twice. */
function watchSize({ scrollElement }: Rows, tell: (size: { width: number; height: number }) => void) {
  if (!scrollElement) return undefined;
  const observer = new ResizeObserver(([entry]) => {
    const [box] = entry!.borderBoxSize;
    if (box) tell({ width: Math.round(box.inlineSize), height: Math.round(box.blockSize) });
  });
  observer.observe(scrollElement);
  return () => observer.disconnect();
}

/** A list that comes into the page stands at its beginning; to be moved there it would have to be laid out. */
const scrollTo: typeof elementScroll<HTMLDivElement> = (offset, how, rows) => {
  const isFirst = offset === 0 && how.behavior === undefined && !how.adjustments;
  if (!isFirst) elementScroll(offset, how, rows);
};

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
export const useRowsInSight = ({ count, height, scroller, keyOf }: Options): Rows =>
  useVirtualizer<HTMLDivElement, Element>({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => height,
    overscan: BEYOND,
    observeElementRect: watchSize,
    scrollToFn: scrollTo,
    initialRect: { width: window.innerWidth, height: Math.max(0, window.innerHeight - ABOVE) },
    ...(keyOf && { getItemKey: keyOf }),
  });
